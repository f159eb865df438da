"""A run judged whole: its course, its months, where it earned, how its trades went, what each line of it is worth."""

from skelb.core.report.compared import Difference, Part, TradePair, difference_of
from skelb.core.report.course import Course, Fall, course_of
from skelb.core.report.earned import FEWEST, Group, Grouped, earned_by
from skelb.core.report.excursions import Excursions, Nearer, excursions_of
from skelb.core.report.months import Month, Year, months_of, years_of
from skelb.core.report.report import Charge, Numbers, numbers_of, numbers_of_legs
from skelb.core.report.spread import Spread, Streak, spread_of
from skelb.core.report.stretches import Stretch, Swings, stretches_of
from skelb.core.report.traded import Traded, traded

__all__ = [
    "FEWEST",
    "Charge",
    "Course",
    "Difference",
    "Excursions",
    "Fall",
    "Group",
    "Grouped",
    "Month",
    "Nearer",
    "Numbers",
    "Part",
    "Spread",
    "Streak",
    "Stretch",
    "Swings",
    "TradePair",
    "Traded",
    "Year",
    "course_of",
    "difference_of",
    "earned_by",
    "excursions_of",
    "months_of",
    "numbers_of",
    "numbers_of_legs",
    "spread_of",
    "stretches_of",
    "traded",
    "years_of",
]
