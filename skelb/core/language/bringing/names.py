"""Names as Skelb can have them."""

import re
import unicodedata
from collections.abc import Set

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS


def free(name: str, taken: Set[str]) -> str:
    """A name as it is spelled, as far as nothing here has it already."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode() or "other"
    found = re.sub(r"\W", "_", plain)
    function = FUNCTIONS.get(found)
    may_be_taken = function is not None and any(item.default is None for item in function.parameters)
    if found in WORDS or found in BUILT_INS or found in POSITION_NAMES or (function is not None and not may_be_taken):
        found = f"my_{found}"
    while found in taken:
        found += "_"
    return found
