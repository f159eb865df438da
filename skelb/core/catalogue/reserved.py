"""Words that a script cannot define, among them built-in names whose meaning is fixed but not computed yet."""

WORDS = frozenset(
    "and or not then unless no yes unknown all in is if else on off from forming to crosses meets above below"
    " when only total where starting carry bars R".split()
)

# Reserved from the first version on, so that a script written today keeps its meaning.
PLANNED_NAMES = frozenset(
    "column entry_price bars_held days_held open_profit best_profit worst_profit position stop_price target_price".split()
)
