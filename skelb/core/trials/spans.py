"""Stretches of time a trial keeps apart: in sample, out of sample, held back; the windows of a walk-forward."""

from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

import numpy as np

from skelb.core.bars import Ints
from skelb.core.errors import SettingsError

_EPOCH = date(1970, 1, 1)
SPLIT_NAMES = ("in sample", "out of sample", "held back")


@dataclass(frozen=True)
class Span:
    """Trading days from the first to the last, both counted; `days` says how many there are."""

    name: str
    first: date
    last: date
    days: int


@dataclass(frozen=True)
class Window:
    """A step of a walk-forward: choose on `inside`, trade the choice on `outside`."""

    inside: Span
    outside: Span


def trading_days(day: Ints, first: date | None = None, last: date | None = None) -> Ints:
    """The distinct trading days (days since 1970) of bars between two dates, ascending."""
    days = np.unique(day)
    if first is not None:
        days = days[days >= (first - _EPOCH).days]
    return days if last is None else days[days <= (last - _EPOCH).days]


def read_split(text: str, days: Ints) -> tuple[Span, ...]:
    """The parts of `60,25,15` (shares of the trading days, in percent or any unit) or of `2024-01-01[,2024-09-01]`.

    A date begins the part after it. Two parts are in and out of sample, a third is held back. Raises SettingsError
    when it is neither, or a part has no trading day.
    """
    parts = [part.strip() for part in text.split(",")]
    try:
        begins = [int(np.searchsorted(days, (date.fromisoformat(part) - _EPOCH).days)) for part in parts]
        cuts = [0, *begins, days.size]
    except ValueError:
        cuts = _share_cuts(parts, text, days.size)
    if not 3 <= len(cuts) <= 4:
        raise SettingsError(f"a split has two or three parts: in sample, out of sample, held back; `{text}` has not")
    ends = list(pairwise(cuts))
    if any(end <= start for start, end in ends):
        raise SettingsError(f"the split `{text}` leaves a part without a trading day (there are {days.size:,})")
    return tuple(_span(name, days, *ends_at) for name, ends_at in zip(SPLIT_NAMES, ends, strict=False))  # fmt: skip


def _share_cuts(parts: list[str], text: str, count: int) -> list[int]:
    try:
        shares = np.array([float(part) for part in parts])
    except ValueError:
        raise SettingsError(f"a split is written 60,25,15 or as dates: 2024-01-01,2024-09-01; not `{text}`") from None
    if not (np.isfinite(shares).all() and (shares > 0).all()):
        raise SettingsError(f"every part of a split is above 0: `{text}` is not")
    return [0, *np.rint(np.cumsum(shares) / shares.sum() * count).astype(int).tolist()]


def windows_by_count(days: Ints, count: int, ratio: float = 4.0, anchored: bool = False) -> tuple[Window, ...]:
    """`count` windows that reach the last day, each `ratio` times as long inside as outside.

    Anchored ones all begin on the first day, so that only the first keeps the ratio. Raises SettingsError when there
    are too few days for them.
    """
    if count < 1 or not ratio > 0:
        raise SettingsError("a walk-forward has at least one window, and its ratio is above 0")
    outside = int(days.size / (ratio + count))
    return windows_by_length(days, days.size - count * outside, outside, anchored)


def windows_by_length(days: Ints, inside: int, outside: int, anchored: bool = False) -> tuple[Window, ...]:
    """Windows of so many trading days inside and outside, as many as fit, the outside parts end to end.

    Raises SettingsError when not even one fits.
    """
    if inside < 1 or outside < 1 or inside + outside > days.size:
        raise SettingsError(
            f"{max(inside, 0):,} days inside and {max(outside, 0):,} outside do not fit into {days.size:,} trading days"
        )
    found: list[Window] = []
    for start in range(0, days.size - inside - outside + 1, outside):
        middle, number = start + inside, len(found) + 1
        within = _span(f"inside {number}", days, 0 if anchored else start, middle)
        found.append(Window(within, _span(f"outside {number}", days, middle, middle + outside)))
    return tuple(found)


def _span(name: str, days: Ints, start: int, end: int) -> Span:
    return Span(name, _date(days[start]), _date(days[end - 1]), end - start)


def _date(day: int) -> date:
    return _EPOCH + timedelta(days=int(day))
