"""Every built-in name and function: definition, documentation, code."""

from skelb.core.catalogue.arithmetic import power, quotient
from skelb.core.catalogue.averages import AVERAGES
from skelb.core.catalogue.conditions import NO, UNKNOWN, YES, Conditions, between, compare, crosses, of_bools
from skelb.core.catalogue.entry import EVEN, NONE_TRIED, BuiltIn, Frame, Function, Mirroring, Parameter
from skelb.core.catalogue.maths import MATHS
from skelb.core.catalogue.momentum import MOMENTUM
from skelb.core.catalogue.names import MONTHS, NAMES, raw_spread, spread_in_price
from skelb.core.catalogue.position import POSITION_NAMES, POSITION_SIDES
from skelb.core.catalogue.reach import FULL, REACH
from skelb.core.catalogue.reserved import WORDS
from skelb.core.catalogue.sequences import all_of, awaited, in_sequence, share_seen
from skelb.core.catalogue.statistics import STATISTICS
from skelb.core.catalogue.structure import STRUCTURE
from skelb.core.catalogue.trend import TREND
from skelb.core.catalogue.volatility import VOLATILITY
from skelb.core.catalogue.volume import VOLUME
from skelb.core.catalogue.windows import WINDOWS

__all__ = [
    "BUILT_INS",
    "EVEN",
    "FULL",
    "FUNCTIONS",
    "MONTHS",
    "NO",
    "NONE_TRIED",
    "POSITION_NAMES",
    "POSITION_SIDES",
    "REACH",
    "UNKNOWN",
    "WORDS",
    "YES",
    "BuiltIn",
    "Conditions",
    "Frame",
    "Function",
    "Mirroring",
    "Parameter",
    "all_of",
    "awaited",
    "between",
    "compare",
    "crosses",
    "in_sequence",
    "of_bools",
    "power",
    "quotient",
    "raw_spread",
    "share_seen",
    "spread_in_price",
]

FAMILY_ORDER = ("Averages", "Momentum", "Trend", "Volatility", "Volume", "Windows", "Structure", "Conditions", "Maths")
_FAMILIES = (AVERAGES, MOMENTUM, TREND, VOLATILITY, VOLUME, WINDOWS, STATISTICS, STRUCTURE, MATHS)
FUNCTIONS: dict[str, Function] = {
    entry.name: entry
    for entry in sorted(
        (entry for family in _FAMILIES for entry in family), key=lambda item: FAMILY_ORDER.index(item.family)
    )
}
BUILT_INS: dict[str, BuiltIn] = {entry.name: entry for entry in NAMES}
