"""The words of the ledger: why trades end, why orders become none, and moments inside a bar."""

from enum import IntEnum


class Moment(IntEnum):
    """When in its bar something happened."""

    OPEN = 0
    INSIDE = 1
    CLOSE = 2


class Reason(IntEnum):
    """Why a trade ended. RULE comes with the exit rule's number."""

    RULE = 0
    STOP = 1
    TARGET = 2
    TIME = 3
    FLAT = 4
    REVERSE = 5
    RUIN = 6
    END = 7
    TRAIL = 8
    BREAKEVEN = 9

    @property
    def word(self) -> str:
        """As results say it."""
        return "end of data" if self is Reason.END else self.name.lower()


class Skip(IntEnum):
    """Why an order did not become a trade. The first two are those of `plan.columns.Block`."""

    WINDOW = 1
    FLAT = 2
    MARGIN = 3
    BEYOND_STOP = 4
    BEYOND_TARGET = 5
    UNKNOWN_LEVEL = 6
    BOTH_SIDES = 7
    LOT_TOO_SMALL = 8
    LIMIT = 9
    PAUSE = 10
    EXPIRED = 11
    OPPOSITE = 12
    END_OF_DATA = 13

    @property
    def word(self) -> str:
        """As results say it."""
        return self.name.lower().replace("_", " ")
