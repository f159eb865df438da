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
    out = np.empty(max(a.size, b.size), np.int8)
    up, down = kind in ("above", "meets"), kind in ("below", "meets")
    _crosses(a, a.size > 1, b, b.size > 1, up, down, out)
    return out


def between(x: Floats, low: Floats, high: Floats) -> Conditions:
    """Yes where low <= x <= high, shape (n,); unknown where any is NaN (unless already decided)."""
    return np.minimum(compare("<=", low, x), compare("<=", x, high))


def of_bools(values: NDArray[np.bool_]) -> Conditions:
    """The condition that is yes where `values` is true, shape (n,)."""
    return values.astype(np.int8) * np.int8(YES)


@njit(cache=True, nogil=True, error_model="numpy")
def _less(a, a_moves, b, b_moves, out):
    if a_moves and b_moves:
        for i in range(out.size):
            out[i] = 2 * (a[i] < b[i]) + ((a[i] != a[i]) | (b[i] != b[i]))
    elif a_moves:
        y = b[0]
        for i in range(out.size):
            out[i] = 2 * (a[i] < y) + ((a[i] != a[i]) | (y != y))
    else:
        x = a[0]
        for i in range(out.size):
            out[i] = 2 * (x < b[i]) + ((x != x) | (b[i] != b[i]))


@njit(cache=True, nogil=True, error_model="numpy")
def _at_most(a, a_moves, b, b_moves, out):
    if a_moves and b_moves:
        for i in range(out.size):
            out[i] = 2 * (a[i] <= b[i]) + ((a[i] != a[i]) | (b[i] != b[i]))
    elif a_moves:
        y = b[0]
        for i in range(out.size):
            out[i] = 2 * (a[i] <= y) + ((a[i] != a[i]) | (y != y))
    else:
        x = a[0]
        for i in range(out.size):
            out[i] = 2 * (x <= b[i]) + ((x != x) | (b[i] != b[i]))


@njit(cache=True, nogil=True, error_model="numpy")
def _equal(a, a_moves, b, b_moves, out):
    for i in range(out.size):
        x, y = a[i * a_moves], b[i * b_moves]
        out[i] = 2 * (x == y) + ((x != x) | (y != y))


@njit(cache=True, nogil=True, error_model="numpy")
def _unequal(a, a_moves, b, b_moves, out):
    for i in range(out.size):
        x, y = a[i * a_moves], b[i * b_moves]
        known = (x == x) & (y == y)
        out[i] = 2 * ((x != y) & known) + (1 - known)


@njit(cache=True, nogil=True, error_model="numpy")
def _crosses(a, a_moves, b, b_moves, up, down, out):
    if out.size:
        out[0] = 1
    if a_moves and b_moves:  # the plain form of the loop is the one the compiler can run in parallel lanes
        for i in range(1, out.size):
            x, y, p, q = a[i], b[i], a[i - 1], b[i - 1]
            known = (x == x) & (y == y) & (p == p) & (q == q)
            hit = (up & (x > y) & (p <= q)) | (down & (x < y) & (p >= q))
            out[i] = 2 * (hit & known) + (1 - known)
        return
    for i in range(1, out.size):
        x, y = a[i * a_moves], b[i * b_moves]
        p, q = a[(i - 1) * a_moves], b[(i - 1) * b_moves]
        known = (x == x) & (y == y) & (p == p) & (q == q)
        hit = (up & (x > y) & (p <= q)) | (down & (x < y) & (p >= q))
        out[i] = 2 * (hit & known) + (1 - known)
