"""Numbers that may be unknown, and conditions of three values."""

import math

Truth = bool | None
"""A condition on one bar: True, False, or None where it is unknown."""


def tolerance(a: float, b: float) -> float:
    """How far two numbers may lie apart and still be equal: prices are decimals, floating point is not."""
    return 1e-12 * min(max(abs(a), abs(b)), 1e300)


def known(x: float | Truth) -> bool:
    """Whether a value is known."""
    return x is not None and x == x


def more(a: float, b: float) -> Truth:
    """a > b, and not equal but for rounding."""
    return a - b > tolerance(a, b) if known(a) and known(b) else None


def less(a: float, b: float) -> Truth:
    """a < b, and not equal but for rounding."""
    return more(b, a)


def at_least(a: float, b: float) -> Truth:
    """a >= b."""
    return negated(more(b, a))


def at_most(a: float, b: float) -> Truth:
    """a <= b."""
    return negated(more(a, b))


def equal(a: float, b: float) -> Truth:
    """a == b but for rounding."""
    return not abs(a - b) > tolerance(a, b) if known(a) and known(b) else None


def between(x: float, low: float, high: float) -> Truth:
    """low <= x <= high."""
    return every(at_most(low, x), at_most(x, high))


def in_hours(clock: float, start: float, end: float) -> Truth:
    """Whether a time of day lies from a start to before an end, over midnight where the end is not after the start."""
    after, before = at_most(start, clock), less(clock, end)
    return either(after, before) if end <= start else every(after, before)


def negated(x: Truth) -> Truth:
    """not x."""
    return None if x is None else not x


def every(*parts: Truth) -> Truth:
    """a and b and …: False where any is, else None where any is unknown."""
    return False if False in parts else None if None in parts else True


def either(*parts: Truth) -> Truth:
    """a or b or …: True where any is, else None where any is unknown."""
    return True if True in parts else None if None in parts else False


def ratio(a: float, b: float) -> float:
    """a / b; unknown where b is 0."""
    return a / b if b else math.nan


def power(a: float, b: float) -> float:
    """a to the power of b; unknown where that is no finite number."""
    if not (known(a) and known(b)):
        return 1.0 if a == 1.0 or b == 0.0 else math.nan
    try:
        found = math.pow(a, b)
    except (ValueError, OverflowError):
        return math.nan
    return found if math.isfinite(found) else math.nan


def smaller(a: float, b: float) -> float:
    """The smaller of two values."""
    return min(a, b) if known(a) and known(b) else math.nan


def larger(a: float, b: float) -> float:
    """The larger of two values."""
    return max(a, b) if known(a) and known(b) else math.nan


def clamped(x: float, a: float, b: float) -> float:
    """x kept between a and b."""
    return smaller(larger(x, a), b)


def finite(x: float) -> float:
    """x, or unknown where it is infinite."""
    return x if math.isfinite(x) else math.nan


def root(x: float) -> float:
    """The square root; unknown below 0."""
    return finite(math.sqrt(x)) if x >= 0 else math.nan


def logarithm(x: float) -> float:
    """The natural logarithm; unknown at or below 0."""
    return finite(math.log(x)) if x > 0 else math.nan


def exponential(x: float) -> float:
    """e to the power of x."""
    return math.exp(x) if x < 709.7 else math.nan


def nearest_whole(x: float) -> float:
    """The nearest whole number; halves away from 0."""
    return math.copysign(float(math.floor(abs(x) + 0.5)), x) if math.isfinite(x) else math.nan


def whole_below(x: float) -> float:
    """The whole number at or below x."""
    return float(math.floor(x)) if math.isfinite(x) else math.nan


def whole_above(x: float) -> float:
    """The whole number at or above x."""
    return float(math.ceil(x)) if math.isfinite(x) else math.nan


def sign(x: float) -> float:
    """1 above 0, -1 below, 0 at 0."""
    return float((x > 0) - (x < 0)) if known(x) else math.nan


def chosen(condition: Truth, yes: float, no: float) -> float:
    """(yes if condition else no); unknown where the condition is."""
    return math.nan if condition is None else yes if condition else no


def chosen_truth(condition: Truth, yes: Truth, no: Truth) -> Truth:
    """(yes if condition else no), of conditions."""
    return None if condition is None else yes if condition else no


def range_of(top: float, bottom: float) -> float:
    """top - bottom; 0 where the two are equal but for rounding."""
    return 0.0 if abs(top - bottom) < 1e-12 * max(abs(top), abs(bottom)) else top - bottom


def whole(x: float) -> int:
    """A number of bars. Raises ValueError when it is no whole number."""
    if not known(x) or x != int(x):
        raise ValueError(f"a number of bars must be whole; with these inputs it is {x}")
    return int(x)


def same_word(a: str, b: str) -> Truth:
    """Whether two words are the same; an empty one is unknown."""
    return a == b if a and b else None


def in_window(clock: float, start: float, end: float) -> bool:
    """Whether a close lies in hours; an end at midnight has the close at midnight in it."""
    is_before = clock < (1441 if end % 1440 == 0 else end)
    return clock >= start or is_before if 0 < end <= start else clock >= start and is_before
