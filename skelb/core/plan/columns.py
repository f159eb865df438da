"""The layout of what a plan hands to the engine: flag bits, level columns, block reasons."""

from enum import IntEnum


class Flag(IntEnum):
    """Bits of the one byte that every bar carries."""

    ENTER_LONG = 1
    ENTER_SHORT = 2
    EXIT_LONG = 4
    EXIT_SHORT = 8
    BLOCKED = 16  # entries judged at this close do not happen
    FLAT_OPEN = 32  # everything is closed at this open, waiting entries are dropped
    FLAT_CLOSE = 64  # everything is closed at this close
    NIGHT = 128  # financing is due at this open


class Block(IntEnum):
    """Why entries are blocked at a bar's close."""

    NONE = 0
    WINDOW = 1
    FLAT = 2


class Column(IntEnum):
    """Level columns of one side; the short side's follow the long side's.

    Distances are infinite where no rule of that kind is in force. Units: price, percent of the entry's mid,
    prices (AT), multiples of R.
    """

    STOP_PRICE = 0
    STOP_PERCENT = 1
    STOP_AT = 2
    TARGET_PRICE = 3
    TARGET_PERCENT = 4
    TARGET_R = 5
    TARGET_AT = 6
    TRAIL = 7
    TRAIL_ONCE = 8
    TRAIL_AT = 9
    TRAIL_AT_ONCE = 10
    EVEN_ONCE = 11
    EVEN_PLUS = 12


class RuleColumn(IntEnum):
    """Columns of one entry rule: its size in the rule's unit, the most units, the price of an order that rests."""

    SIZE = 0
    MOST = 1
    PRICE = 2


COLUMNS_PER_SIDE = len(Column)
SPREAD_COLUMN = 2 * COLUMNS_PER_SIDE
NIGHTS_COLUMN = SPREAD_COLUMN + 1
RATE_COLUMN = NIGHTS_COLUMN + 1  # currency rate at each close
RULE_COLUMNS = RATE_COLUMN + 1  # then those of each entry rule, a price for each exit rule, an amount for each part


class SizeForm(IntEnum):
    """What the number in the SIZE column means."""

    UNITS = 0
    CASH = 1
    PERCENT = 2
    RISK_PERCENT = 3
    RISK_CASH = 4


class OppositeMode(IntEnum):
    """What an opposite entry does while in a position."""

    REVERSE = 0
    EXIT = 1
    IGNORE = 2


class OrderForm(IntEnum):
    """How a rule's order is given."""

    MARKET = 0
    CLOSE = 1
    LIMIT = 2
    STOP = 3

    @property
    def rests(self) -> bool:
        """Whether orders of this form wait at a price."""
        return self >= OrderForm.LIMIT


class DistanceUnit(IntEnum):
    """What the number in a column of a moving level, or of a part's target, means."""

    PRICE = 0
    PERCENT = 1
    R = 2
    AT = 3


MOVING = (Column.TRAIL, Column.TRAIL_ONCE, Column.TRAIL_AT_ONCE, Column.EVEN_ONCE, Column.EVEN_PLUS)
"""Columns with a unit of their own."""


class Made(IntEnum):
    """When a program's value is written to its column; conditions are asked for instead."""

    BEFORE_LEVELS = 0
    BEFORE_EXITS = 1
    BEFORE_ENTRIES = 2
    ASKED = 3


class Held(IntEnum):
    """Places of the limits and pauses; infinite or 0 where there is none."""

    ENTRIES = 0
    LOSSES = 1
    LOSS = 2
    AFTER_STOP = 3
    AFTER_LOSS = 4
    AFTER_EXIT = 5
