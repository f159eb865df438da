"""Proving a conversion: a series against the values that its original had, bar by bar."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats

RELATIVE = 1e-6  # differences below this share of the size of the values are rounding in the file


@dataclass(frozen=True)
class Comparison:
    """How a series compares with a column of the original's values; bars are indexes, None where there is none.

    Compared are the bars on which both are known. `only_here` and `only_there` count bars on which one is known
    and the other is not, from the first bar on which both are; `first` is the first difference beyond `tolerance`.
    """

    compared: int
    differing: int
    first: int | None
    largest: float | None
    largest_bar: int | None
    only_here: int
    only_there: int
    tolerance: float

    @property
    def is_equal(self) -> bool:
        """Whether the two are the same wherever they can be compared, and known on the same bars."""
        return self.compared > 0 and self.differing == 0 and self.only_here == 0 and self.only_there == 0

    @property
    def verdict(self) -> str:
        """The result in a sentence."""
        if self.compared == 0:
            return "nothing can be compared: there is no bar on which both are known"
        if self.is_equal:
            return f"equal on all {self.compared:,} bars that can be compared"
        parts = []
        if self.differing:
            parts.append(f"different on {self.differing:,} of {self.compared:,} bars, by up to {self.largest:.6g}")
        if self.only_here:
            parts.append(f"known on {self.only_here:,} bars on which the original is not")
        if self.only_there:
            parts.append(f"unknown on {self.only_there:,} bars on which the original is known")
        return "; ".join(parts)


def compare_values(found: Floats, original: Floats, tolerance: float | None = None) -> Comparison:
    """Compare two series of equal length, NaN for unknown, conditions as 0 and 1.

    Parameters
    ----------
    found, original : float64, shape (n,), the same unit.
    tolerance : largest difference that counts as equal; by default a millionth of the original's largest value,
        and at least 1e-9.
    """
    if found.shape != original.shape:
        raise ValueError(f"the series have {found.size} and {original.size} bars")
    here, there = np.isfinite(found), np.isfinite(original)
    both = np.flatnonzero(here & there)
    if both.size == 0:
        return Comparison(0, 0, None, None, None, 0, 0, tolerance or 0.0)
    size = float(np.abs(original[both]).max())
    allowed = max(RELATIVE * size, 1e-9) if tolerance is None else tolerance
    distance = np.abs(found[both] - original[both])
    beyond = np.flatnonzero(distance > allowed)
    worst = int(np.argmax(distance))
    known = slice(int(both[0]), None)
    return Comparison(
        compared=int(both.size),
        differing=int(beyond.size),
        first=int(both[beyond[0]]) if beyond.size else None,
        largest=float(distance[worst]),
        largest_bar=int(both[worst]),
        only_here=int(np.count_nonzero(here[known] & ~there[known])),
        only_there=int(np.count_nonzero(~here[known] & there[known])),
        tolerance=allowed,
    )
