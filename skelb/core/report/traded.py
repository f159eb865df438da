"""The trades of a run as columns, with what they can be told apart by."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.bars.calendar import zone_offsets
from skelb.core.engine import Outcome
from skelb.core.figures import exit_order
from skelb.core.plan import Dataset

_RANGE_DAYS = 20


@dataclass(frozen=True, eq=False)
class Traded:
    """Trades of one market or of a basket in order of exit; every array has shape (trades,).

    market, rule, reason : places in `markets`, `rules`, `reasons`; side : 1 long, -1 short
    entry_time, exit_time : seconds since 1970 UTC; entry_day, exit_day : trading days since 1970
    entry_hour : of the market's clock, -1 on bars of a day and longer; bars : held
    net, gross, commission, spread, slippage, financing, best, worst : money; `best` and `worst` the most it was ahead
    and behind on the way
    r, best_r, worst_r : the same in multiples of what was at risk, NaN without a stop
    gap : how far the entry's day opened from the close before, in mean ranges of the 20 days before it, NaN unknown
    """

    markets: tuple[str, ...]
    rules: tuple[str, ...]
    reasons: tuple[str, ...]
    market: Ints
    side: Ints
    rule: Ints
    reason: Ints
    entry_time: Ints
    exit_time: Ints
    entry_day: Ints
    exit_day: Ints
    entry_hour: Ints
    bars: Ints
    net: Floats
    gross: Floats
    commission: Floats
    spread: Floats
    slippage: Floats
    financing: Floats
    best: Floats
    worst: Floats
    r: Floats
    best_r: Floats
    worst_r: Floats
    gap: Floats

    def __len__(self) -> int:
        return self.net.size


def traded(outcomes: Sequence[Outcome]) -> Traded:
    """The trades of a run: of one market's outcome, of all of a basket's, or of runs one after the other."""
    order = exit_order(outcomes)

    def gathered(part: Callable[[Outcome], np.ndarray]) -> np.ndarray:
        return np.concatenate([part(outcome) for outcome in outcomes])[order]

    def column(name: str) -> Floats:
        return gathered(lambda outcome: outcome.trades.rows[name])

    markets = list(dict.fromkeys(map(_symbol, outcomes)))
    rules = list(dict.fromkeys(rule.name for outcome in outcomes for rule in outcome.plan.entries))
    names = [[outcome.exit_reason(row) for row in range(len(outcome.trades))] for outcome in outcomes]
    reasons = list(dict.fromkeys(name for part in names for name in part))
    risk = gathered(_risks)
    best, worst = column("best"), column("worst")
    return Traded(
        markets=tuple(markets),
        rules=tuple(rules),
        reasons=tuple(reasons),
        market=gathered(
            lambda outcome: np.full(len(outcome.trades), markets.index(outcome.plan.dataset.market.symbol))
        ),
        side=gathered(lambda outcome: outcome.trades.side),
        rule=gathered(lambda outcome: _places(outcome, rules)),
        reason=np.array([reasons.index(name) for part in names for name in part], np.int64)[order],
        entry_time=gathered(Outcome.entry_times),
        exit_time=gathered(Outcome.exit_times),
        entry_day=gathered(lambda outcome: outcome.plan.dataset.calendar.day[outcome.trades.entry_bar]),
        exit_day=gathered(lambda outcome: outcome.plan.dataset.calendar.day[outcome.trades.exit_bar]),
        entry_hour=gathered(_entry_hours),
        bars=gathered(lambda outcome: outcome.trades.bars_held),
        net=column("net"),
        gross=column("gross"),
        commission=column("commission"),
        spread=column("spread"),
        slippage=column("slippage"),
        financing=column("financing"),
        best=best,
        worst=worst,
        r=column("r"),
        best_r=best / risk,
        worst_r=worst / risk,
        gap=gathered(lambda outcome: _gaps(outcome.plan.dataset)[outcome.trades.entry_bar]),
    )


def _symbol(outcome: Outcome) -> str:
    return outcome.plan.dataset.market.symbol


def _places(outcome: Outcome, rules: list[str]) -> Ints:
    at = np.array([rules.index(rule.name) for rule in outcome.plan.entries], np.int64)
    return at[outcome.trades.entry_rule] if at.size else np.zeros(0, np.int64)


def _risks(outcome: Outcome) -> Floats:
    """What each trade had at risk at first, money, NaN without a stop."""
    trades = outcome.trades
    value = outcome.values(trades.exit_bar, trades.moment)
    risk = trades.risk * trades.units * value
    return np.where(risk > 0, risk, np.nan)


def _entry_hours(outcome: Outcome) -> Ints:
    dataset, times = outcome.plan.dataset, outcome.entry_times()
    if not dataset.bars.timeframe.is_intraday:
        return np.full(times.size, -1)
    return (times + zone_offsets(times, dataset.market.zone)) // 3600 % 24


def _gaps(dataset: Dataset) -> Floats:
    """Of every bar how far its day opened from the close before, in mean ranges of the days before, NaN unknown."""
    bars, calendar = dataset.bars, dataset.calendar
    starts, ends = np.flatnonzero(calendar.starts_day), calendar.day_ends
    ranges = np.maximum.reduceat(bars.high, starts) - np.minimum.reduceat(bars.low, starts)
    gap = np.full(starts.size, np.nan)
    if starts.size > _RANGE_DAYS:
        usual = np.convolve(ranges, np.full(_RANGE_DAYS, 1.0 / _RANGE_DAYS), "valid")[:-1]  # of the days before
        opened = bars.open[starts[_RANGE_DAYS:]] - bars.close[ends[_RANGE_DAYS - 1 : -1]]
        gap[_RANGE_DAYS:] = np.divide(opened, usual, out=np.full(usual.size, np.nan), where=usual > 0)
    return gap[np.cumsum(calendar.starts_day) - 1]
