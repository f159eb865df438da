# mypy: disable-error-code="no-untyped-def"
"""Arithmetic whose result can be unknown although both sides are known."""

import numpy as np

from skelb.core.bars import Floats
from skelb.core.compiled import njit


def quotient(a: Floats, b: Floats) -> Floats:
    """`a / b`, shape (n,); NaN where b is 0. Either side may have shape (1,) for a constant."""
    return _quotient(a, int(a.size > 1), b, int(b.size > 1), np.empty(max(a.size, b.size)))


def range_of(top: Floats, bottom: Floats) -> Floats:
    """`top - bottom`, shape (n,); 0 where the two are equal but for rounding, below 1e-12 of their size."""
    found = top - bottom
    found[np.abs(found) < 1e-12 * np.maximum(np.abs(top), np.abs(bottom))] = 0.0
    return found


def power(a: Floats, b: Floats) -> Floats:
    """`a ^ b`, shape (n,); NaN where that is no finite number."""
    with np.errstate(all="ignore"):
        found = np.power(a, b)
    found[~np.isfinite(found)] = np.nan
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _quotient(a, a_moves, b, b_moves, out):
    for i in range(out.size):
        divisor = b[i * b_moves]
        out[i] = a[i * a_moves] / divisor if divisor != 0.0 else np.nan
    return out
