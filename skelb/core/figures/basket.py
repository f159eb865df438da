"""Figures of several markets run on one account."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.engine import Moment, Outcome
from skelb.core.figures.figures import Figures, Record, figures_of, record_of, side_equity
from skelb.core.figures.sums import covered
from skelb.core.plan import Dataset


@dataclass(frozen=True)
class MarketCosts:
    """What trading one market cost beside what it moves; all per unit, in price units.

    `trade_cost` is the mean cost of a trade over its units, `day_range` the mean of the trading days' high less low;
    None without trades or days.
    """

    trade_cost: float | None
    day_range: float | None

    @property
    def share(self) -> float | None:
        """The cost of a trade over the day's range."""
        return self.trade_cost / self.day_range if self.trade_cost is not None and self.day_range else None


def basket_order(outcomes: Sequence[Outcome]) -> Ints:
    """Market and row of every trade in order of exit: by time, then moment in the bar, then market; shape (trades,
    2)."""
    rows = [np.column_stack((np.full(len(o.trades), k), np.arange(len(o.trades)))) for k, o in enumerate(outcomes)]
    times = np.concatenate([o.plan.dataset.bars.time[o.trades.exit_bar] for o in outcomes])
    moments = np.concatenate([o.trades.moment for o in outcomes])
    joined = np.concatenate(rows)
    return joined[np.lexsort((joined[:, 1], joined[:, 0], moments, times))]


def exit_order(outcomes: Sequence[Outcome]) -> Ints:
    """Where the trades of all markets, laid end to end, stand in order of exit; shape (trades,)."""
    begins = np.cumsum([0, *(len(outcome.trades) for outcome in outcomes)])
    order = basket_order(outcomes)
    found: Ints = begins[order[:, 0]] + order[:, 1]
    return found


def basket_record(outcomes: Sequence[Outcome], side: str = "all") -> Record:
    """The record of all markets together, or of the `long` or `short` trades of all of them.

    Its points are the distinct opening times of all bars run; holding is an equal share of every market.
    """
    ledger = np.concatenate([o.trades.rows for o in outcomes])
    held = np.concatenate([o.trades.bars_held for o in outcomes])
    sides = np.concatenate([o.trades.side for o in outcomes])
    ambiguous = np.concatenate([o.trades.ambiguous for o in outcomes])
    rows = exit_order(outcomes)
    rows = rows if side == "all" else rows[sides[rows] == (1 if side == "long" else -1)]

    times = [o.plan.dataset.bars.time[o.first : o.last + 1] for o in outcomes]
    moments = np.unique(np.concatenate(times))
    closes = np.zeros(moments.size, np.int64)
    days = np.zeros(moments.size, np.int64)
    equity = np.full(moments.size, outcomes[0].capital)
    holding = np.zeros(moments.size)
    begins: list[Ints] = []
    stops: list[Ints] = []
    for outcome, own in zip(outcomes, times, strict=True):
        traded, opens = outcome.trades, outcome.plan.dataset.bars.time
        of_side = traded.side != 0 if side == "all" else traded.side == (1 if side == "long" else -1)
        begins.append(np.searchsorted(moments, opens[traded.entry_bar[of_side]]))
        left = np.searchsorted(moments, opens[traded.exit_bar[of_side]])
        stops.append(left + (traded.moment[of_side] != Moment.OPEN))
        calendar, span = outcome.plan.dataset.calendar, slice(outcome.first, outcome.last + 1)
        at = np.searchsorted(moments, own)
        closes[at] = np.maximum(closes[at], calendar.close_time[span])
        days[at] = np.maximum(days[at], calendar.day[span])
        if side == "all":
            equity[at] = outcome.equity
        else:
            equity += _carried(side_equity(outcome, of_side) - outcome.capital, at, moments.size, 0.0)
        bars = outcome.plan.dataset.bars
        grown = bars.close[span] / bars.open[outcome.first]
        holding += _carried(grown, at, moments.size, 1.0) / len(outcomes)
    days = np.maximum.accumulate(days)
    ends = np.flatnonzero(np.append(days[1:] != days[:-1], True))
    return Record(
        outcomes[0].capital,
        ledger[rows],
        held[rows],
        sides[rows] > 0,
        ambiguous[rows],
        equity,
        closes,
        int(moments[0]),
        ends,
        days[ends],
        holding,
        1.0,
        int(covered(np.concatenate(begins), np.concatenate(stops))),
        outcomes[0].cash_rate,
    )


def earned_by_market(outcomes: Sequence[Outcome]) -> list[Floats]:
    """What each market of a basket earned so far, money, open trades among it, at every point of the basket's record;
    shape (points,) each."""
    times = [outcome.plan.dataset.bars.time[outcome.first : outcome.last + 1] for outcome in outcomes]
    moments = np.unique(np.concatenate(times))
    return [
        _carried(
            side_equity(outcome, np.ones(len(outcome.trades), np.bool_)) - outcome.capital,
            np.searchsorted(moments, own),
            moments.size,
            0.0,
        )
        for outcome, own in zip(outcomes, times, strict=True)
    ]


def record_together(outcomes: Sequence[Outcome], side: str = "all") -> Record:
    """The record of one market's run, or of a basket's; of all trades, or of the `long` or `short` ones alone."""
    return record_of(outcomes[0], side) if len(outcomes) == 1 else basket_record(outcomes, side)


def _carried(values: Floats, at: Ints, size: int, before: float) -> Floats:
    """Values at some of the points, each held until the next; `before` ahead of the first."""
    last = np.zeros(size, np.int64)
    last[at] = np.arange(1, at.size + 1)
    return np.concatenate(([before], values))[np.maximum.accumulate(last)]


def basket_figures(outcomes: Sequence[Outcome], against: Dataset | None = None) -> dict[str, Figures]:
    """The figures of all markets together: of all, of long and of short trades.

    Holding is an equal share of every market, or another market; alpha and beta are against it.
    """
    records = {side: basket_record(outcomes, side) for side in ("all", "long", "short")}
    return {side: figures_of(record.against(against) if against else record) for side, record in records.items()}


def market_figures(outcome: Outcome) -> Figures:
    """The figures of one market of a basket: its trades alone on the whole initial capital."""
    every = np.ones(len(outcome.trades), np.bool_)
    return figures_of(replace(record_of(outcome), equity=side_equity(outcome, every)))


def market_costs(outcome: Outcome) -> MarketCosts:
    """A market's cost of a trade beside its day's range."""
    trades, bars = outcome.trades, outcome.plan.dataset.bars
    cost = None
    if len(trades):
        money = trades.gross - trades.net
        value = outcome.values(trades.exit_bar, trades.moment)
        cost = float(np.mean(money / (trades.units * value)))
    day = outcome.plan.dataset.calendar.day[outcome.first : outcome.last + 1]
    starts = np.flatnonzero(np.append(True, day[1:] != day[:-1]))
    highs = np.maximum.reduceat(bars.high[outcome.first : outcome.last + 1], starts)
    lows = np.minimum.reduceat(bars.low[outcome.first : outcome.last + 1], starts)
    return MarketCosts(cost, float(np.mean(highs - lows)))
