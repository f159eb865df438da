"""Words of the language that a script cannot define."""

WORDS = frozenset(
    "and or not then unless no yes unknown all in is if else on off from forming to crosses meets above below"
    " when only total where starting carry bars R column".split()
)
