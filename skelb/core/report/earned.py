"""Where a run earned: its trades in groups, with the mean of each and how sure that is."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import WEEKDAYS, Floats, Ints
from skelb.core.report.traded import Traded

FEWEST = 5
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_LENGTHS = (1, 3, 7, 15, 31, 63, 127, 255)
_GAPS = (-0.5, -0.1, 0.1, 0.5)
_GAP_NAMES = ("far down", "down", "none", "up", "far up")


@dataclass(frozen=True, slots=True)
class Group:
    """Trades that have something in common; `mean` with its 95 % band in the unit of the whole, None where there are
    under five: too few to say."""

    name: str
    trades: int
    net_profit: float
    mean: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class Grouped:
    """All trades grouped by one thing."""

    by: str
    groups: list[Group]


def earned_by(trades: Traded, results: Floats) -> list[Grouped]:
    """The groups by hour, weekday, month and year of entry, rule, reason, length, gap before, and market; those that
    tell something apart. `results` are what means are made of: money, or multiples of risk.

    The band is Student's: mean ± t(0.975, n - 1) · s / √n; the true mean lies in it in 19 of 20 such groups, and of
    twenty groups one leaves 0 outside by luck alone.
    """
    dates = trades.entry_day.astype("datetime64[D]")
    months = dates.astype("datetime64[M]").astype(np.int64) % 12
    years = dates.astype("datetime64[Y]").astype(np.int64)
    hours, first = trades.entry_hour, int(years.min()) if years.size else 0
    found = [
        ("hour", hours, [f"{hour:02d}:00" for hour in range(24)]),
        ("weekday", (trades.entry_day + 3) % 7, [name.capitalize() for name in WEEKDAYS]),
        ("month", months, _MONTHS),
        ("year", years - first, [str(1970 + first + at) for at in range(int(np.ptp(years)) + 1 if years.size else 0)]),
        ("entry rule", trades.rule, trades.rules),
        ("exit reason", trades.reason, trades.reasons),
        ("length", np.searchsorted(_LENGTHS, trades.bars), _length_names()),
        ("gap before", np.where(np.isnan(trades.gap), -1, np.searchsorted(_GAPS, trades.gap)), _GAP_NAMES),
        ("market", trades.market, trades.markets),
    ]
    grouped = [Grouped(by, _groups(which, names, trades.net, results)) for by, which, names in found]
    return [item for item in grouped if len(item.groups) > 1]


def _length_names() -> list[str]:
    begins = (1, *(end + 1 for end in _LENGTHS[:-1]))
    spans = [
        f"{begin} bar" if begin == end == 1 else f"{begin}–{end} bars"
        for begin, end in zip(begins, _LENGTHS, strict=True)
    ]
    return [*spans, f"over {_LENGTHS[-1]} bars"]


def _groups(which: Ints, names: Sequence[str], net: Floats, results: Floats) -> list[Group]:
    return [_group(names[at], net[which == at], results[which == at]) for at in np.unique(which[which >= 0]).tolist()]


def _group(name: str, net: Floats, results: Floats) -> Group:
    known = results[~np.isnan(results)]
    whole = Group(name, net.size, float(net.sum()), None, None, None)
    if known.size < FEWEST:
        return whole
    from scipy.special import stdtrit  # slow to load, and only reports and calendars need it

    mean = float(known.mean())
    reach = float(stdtrit(known.size - 1, 0.975)) * float(known.std(ddof=1)) / known.size**0.5
    return Group(name, net.size, whole.net_profit, mean, mean - reach, mean + reach)
