# mypy: disable-error-code="no-untyped-def"
"""Three-valued conditions as int8 arrays, and the operators that make and join them.

The encoding makes Kleene's logic arithmetic: `and` is the minimum, `or` the maximum, `not` is YES - x.
"""

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.compiled import njit

NO, UNKNOWN, YES = 0, 1, 2

Conditions = NDArray[np.int8]


def compare(operator: str, a: Floats, b: Floats) -> Conditions:
    """`a operator b` on every bar, shape (n,); either side may have shape (1,) for a constant.

    Unknown where either side is NaN. `operator` is one of < <= > >= == !=.
    """
    if operator in (">", ">="):
        return compare("<" if operator == ">" else "<=", b, a)
    out = np.empty(max(a.size, b.size), np.int8)
    kernel = {"<": _less, "<=": _at_most, "==": _equal, "!=": _unequal}[operator]
    kernel(a, a.size > 1, b, b.size > 1, out)
    return out


def crosses(kind: str, a: Floats, b: Floats) -> Conditions:
    """Yes where a > b now and a <= b on the bar before (`above`); `below` mirrored; `meets` either. Shape (n,).

    Unknown unless all four values are known, hence on the first bar. A side may have shape (1,).
    """
    order = np.empty(max(a.size, b.size), np.int8)
    out = np.empty_like(order)
    if out.size:
        _order(a, a.size > 1, b, b.size > 1, order)
        _crosses(order, kind in ("above", "meets"), kind in ("below", "meets"), out)
    return out


def between(x: Floats, low: Floats, high: Floats) -> Conditions:
    """Yes where low <= x <= high, shape (n,); unknown where any is NaN (unless already decided)."""
    return np.minimum(compare("<=", low, x), compare("<=", x, high))


def of_bools(values: NDArray[np.bool_]) -> Conditions:
    """The condition that is yes where `values` is true, shape (n,)."""
    return values.astype(np.int8) * np.int8(YES)


# Two numbers that differ by less than this share of the larger are equal: prices are decimals, floating point is not.
_NEARLY, _LARGEST = 1e-12, 1e300


@njit(nogil=True, error_model="numpy")
def is_less(a, b):
    """Whether a number is below another and not equal to it; False where either is unknown."""
    return b - a > _NEARLY * min(max(abs(a), abs(b)), _LARGEST)


@njit(nogil=True, error_model="numpy")
def is_equal(a, b):
    """Whether two known numbers are equal."""
    return not abs(a - b) > _NEARLY * min(max(abs(a), abs(b)), _LARGEST)


@njit(cache=True, nogil=True, error_model="numpy")
def _less(a, a_moves, b, b_moves, out):
    if a_moves and b_moves:
        for i in range(out.size):
            out[i] = 2 * is_less(a[i], b[i]) + ((a[i] != a[i]) | (b[i] != b[i]))
    elif a_moves:
        y = b[0]
        for i in range(out.size):
            out[i] = 2 * is_less(a[i], y) + ((a[i] != a[i]) | (y != y))
    else:
        x = a[0]
        for i in range(out.size):
            out[i] = 2 * is_less(x, b[i]) + ((x != x) | (b[i] != b[i]))


@njit(cache=True, nogil=True, error_model="numpy")
def _at_most(a, a_moves, b, b_moves, out):
    if a_moves and b_moves:
        for i in range(out.size):
            known = (a[i] == a[i]) & (b[i] == b[i])
            out[i] = 2 * (known & (not is_less(b[i], a[i]))) + (1 - known)
    elif a_moves:
        y = b[0]
        for i in range(out.size):
            known = (a[i] == a[i]) & (y == y)
            out[i] = 2 * (known & (not is_less(y, a[i]))) + (1 - known)
    else:
        x = a[0]
        for i in range(out.size):
            known = (x == x) & (b[i] == b[i])
            out[i] = 2 * (known & (not is_less(b[i], x))) + (1 - known)


@njit(cache=True, nogil=True, error_model="numpy")
def _equal(a, a_moves, b, b_moves, out):
    for i in range(out.size):
        x, y = a[i * a_moves], b[i * b_moves]
        known = (x == x) & (y == y)
        out[i] = 2 * (is_equal(x, y) & known) + (1 - known)


@njit(cache=True, nogil=True, error_model="numpy")
def _unequal(a, a_moves, b, b_moves, out):
    for i in range(out.size):
        x, y = a[i * a_moves], b[i * b_moves]
        known = (x == x) & (y == y)
        out[i] = 2 * ((not is_equal(x, y)) & known) + (1 - known)


@njit(cache=True, nogil=True, error_model="numpy")
def _order(a, a_moves, b, b_moves, out):
    """1 where a is above b, -1 where it is below, 0 where they are equal, 2 where either is unknown."""
    for i in range(out.size):
        x, y = a[i * a_moves], b[i * b_moves]
        known = (x == x) & (y == y)
        out[i] = known * (1 * is_less(y, x) - 1 * is_less(x, y)) + 2 * (1 - known)


@njit(cache=True, nogil=True, error_model="numpy")
def _crosses(order, up, down, out):
    out[0] = 1
    for i in range(1, order.size):
        now, before = order[i], order[i - 1]
        known = (now != 2) & (before != 2)
        hit = (up & (now == 1) & (before <= 0)) | (down & (now == -1) & (before >= 0))
        out[i] = 2 * (hit & known) + (1 - known)
