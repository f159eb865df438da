# mypy: disable-error-code="no-untyped-def"
"""Figures of a finished run."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import blake2b

import numpy as np
from numba import njit

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.engine import Moment, Outcome, Points, Reason, Rows
from skelb.core.figures.definitions import FIGURE_KEYS
from skelb.core.figures.sums import SUMS, Sums, covered, sum_up, sum_up_points
from skelb.core.plan import Dataset
from skelb.core.plan.columns import NIGHTS_COLUMN, RATE_COLUMN, Flag

Figures = dict[str, float | int | None]
_YEAR_DAYS = 365.25


@dataclass(frozen=True, eq=False)
class Record:
    """What figures are made of: a run's trades, and its equity with what belongs to each of its points.

    numbers : float64, shape (trades, kernel's number columns); bars_held, is_long, ambiguous : shape (trades,)
    equity : float64, shape (points,), at the closes of bars or of a basket's moments
    closes : int64, shape (points,), seconds since 1970 UTC; begins : the first bar's opening
    day_ends, days : int64, shape (days,), the last point of every trading day, and that day since 1970
    holding : float64, shape (points,), what holding instead is worth; held_from : what it was worth at the first open
    in_position : at how many points a position was open at some moment of their bar
    cash_rate : what cash would have earned, percent a year
    """

    capital: float
    rows: Rows
    bars_held: Ints
    is_long: Bools
    ambiguous: Bools
    equity: Floats
    closes: Ints
    begins: int
    day_ends: Ints
    days: Ints
    holding: Floats
    held_from: float
    in_position: int
    cash_rate: float = 0.0

    @property
    def net(self) -> Floats:
        """What every trade came to, money."""
        found: Floats = self.rows["net"]
        return found

    @property
    def day_of_points(self) -> Ints:
        """The trading day of every point, in days since 1970."""
        return np.repeat(self.days, np.diff(self.day_ends, prepend=-1))

    def against(self, market: Dataset) -> "Record":
        """This record against holding `market`, as its bars were closed at each point: its return, alpha and beta.

        Points before that market's first close make alpha and beta None.
        """
        known = market.calendar.close_time
        seen = np.searchsorted(known, self.closes, side="right") - 1
        closes = np.where(seen >= 0, market.bars.close[np.maximum(seen, 0)], np.nan)
        return replace(self, holding=closes, held_from=float(market.bars.open[max(int(seen[0]), 0)]))


@dataclass(frozen=True, eq=False)
class Daily:
    """What a run earned from day to day: trading days since 1970, ascending, and equity's relative changes, shape
    (days,)."""

    days: Ints
    changes: Floats

    @cached_property
    def digest(self) -> int:
        """Tells apart runs that earned otherwise: one that earned the same on every day is the same try."""
        made = blake2b(self.days.tobytes() + self.changes.tobytes(), digest_size=8).digest()
        return int.from_bytes(made, "little", signed=True)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Daily) and self.digest == other.digest

    def __hash__(self) -> int:
        return self.digest

    @property
    def sharpe(self) -> float:
        """Mean over sample deviation of the changes; 0 where they do not differ."""
        size = self.changes.size
        if size < 2:
            return 0.0
        mean = float(self.changes.sum()) / size
        rest = self.changes - mean
        deviation = (float(rest @ rest) / (size - 1)) ** 0.5
        return mean / deviation if deviation > 0 else 0.0


def record_of(outcome: Outcome, side: str = "all") -> Record:
    """The record of one market's run, or of its `long` or `short` trades alone."""
    trades, dataset = outcome.trades, outcome.plan.dataset
    first, last, calendar = outcome.first, outcome.last, dataset.calendar
    span = slice(first, last + 1)
    first_end, last_end = np.searchsorted(calendar.day_ends, (first, last))
    ends = np.minimum(calendar.day_ends[first_end : last_end + 1], last)
    chosen = slice(None) if side == "all" else trades.side == (1 if side == "long" else -1)
    return Record(
        outcome.capital,
        trades.rows[chosen],
        trades.bars_held[chosen],
        (trades.side > 0)[chosen],
        trades.ambiguous[chosen],
        outcome.equity if isinstance(chosen, slice) else side_equity(outcome, chosen),
        calendar.close_time[span],
        int(dataset.bars.time[first]),
        ends - first,
        calendar.day[ends],
        dataset.bars.close[span],
        float(dataset.bars.open[first]),
        int(covered(trades.entry_bar[chosen], (trades.entry_bar + trades.bars_held)[chosen])),
        outcome.cash_rate,
    )


def joined(records: Sequence[Record]) -> Record:
    """Runs on one stretch of days after the other as one: each goes on with what those before it earned, and holding
    with what it was worth."""
    earned, worth, begin = 0.0, 1.0, 0
    equity: list[Floats] = []
    holding: list[Floats] = []
    ends: list[Ints] = []
    for record in records:
        equity.append(record.equity - record.capital + records[0].capital + earned)
        earned += float(record.equity[-1]) - record.capital
        holding.append(worth * record.holding / record.held_from)
        worth = float(holding[-1][-1])
        ends.append(record.day_ends + begin)
        begin += record.equity.size
    whole = [
        np.concatenate([getattr(record, name) for record in records])
        for name in ("rows", "bars_held", "is_long", "ambiguous", "closes", "days")
    ]
    rows, bars_held, is_long, ambiguous, closes, days = whole
    first = records[0]
    return Record(
        first.capital, rows, bars_held, is_long, ambiguous, np.concatenate(equity), closes, first.begins,
        np.concatenate(ends), days, np.concatenate(holding), 1.0, sum(record.in_position for record in records),
        first.cash_rate,
    )  # fmt: skip


def figures_of(record: Record) -> Figures:
    """The figures of a record, keyed as in FIGURES; None where a figure has no meaning.

    Of one side, equity is the initial capital plus that side's trades alone.
    """
    found = np.zeros(1, SUMS)
    sum_up(
        record.rows, record.bars_held, record.ambiguous, record.equity, record.capital, record.holding,
        record.held_from, record.day_ends, record.cash_rate / 100.0 / _days_a_year(record), found[0],
    )  # fmt: skip
    found["in_position"] = record.in_position
    return _figures(record, Sums._make(found[0].tolist()))


def figures_of_points(outcomes: Points, record: Record) -> list[tuple[Figures, Daily | None]]:
    """The figures of every point, and what it earned from day to day, as `figures_of` and `daily_of` have them.

    `record` is that of any of them: of it is taken what they have in common.
    """
    count = len(outcomes.ends)
    found, changes = np.zeros(count, SUMS), np.empty((count, record.days.size))
    sum_up_points(
        outcomes.trades.rows, outcomes.ends, outcomes.equity, record.capital, record.holding, record.held_from,
        record.day_ends, record.cash_rate / 100.0 / _days_a_year(record), found, changes,
    )  # fmt: skip
    return [
        (_figures(record, sums), Daily(record.days, mine) if sums.is_above_0 else None)
        for sums, mine in zip(map(Sums._make, found.tolist()), changes, strict=True)
    ]


def figures_by_side(outcome: Outcome, against: Dataset | None = None) -> dict[str, Figures]:
    """The figures of all, of long and of short trades, against holding, or against holding another market."""
    records = {side: record_of(outcome, side) for side in ("all", "long", "short")}
    return {side: figures_of(record.against(against) if against else record) for side, record in records.items()}


def side_equity(outcome: Outcome, chosen: Bools) -> Floats:
    """Closing equity per bar if only the chosen trades had been made, money, shape of `outcome.equity`.

    An open trade counts with its profit from the entry's price, less the entry's commission and the nights so far.
    """
    plan, trades = outcome.plan, outcome.trades
    market, closes = plan.dataset.market, plan.dataset.bars.close
    value = plan.columns[RATE_COLUMN] * market.point_value
    nightly = np.zeros(0)  # of one unit, for one percent a year
    if market.financing_long or market.financing_short:
        nights = np.where(plan.flags & Flag.NIGHT, plan.columns[NIGHTS_COLUMN], 0.0) / 36_500.0
        nightly = np.concatenate(([0.0], closes[:-1])) * nights
    begins = trades.entry_bar + (trades.entry_moment != Moment.CLOSE)
    # Equity is that before a close's own fills, but for the exits that are forced there.
    is_forced = np.isin(trades.reason, (Reason.FLAT, Reason.END, Reason.RUIN))
    ends = trades.exit_bar + ((trades.moment == Moment.CLOSE) & ~is_forced)
    return _equity_of(
        outcome.capital, outcome.first, outcome.last, closes, value, np.flatnonzero(chosen), trades.side,
        trades.entry_bar, ends, begins, trades.rows, nightly,
        market.financing_long, market.financing_short,
    )  # fmt: skip


def drawdown_of(equity: Floats, capital: float) -> Floats:
    """Money below the highest equity so far (the initial capital included), shape of `equity`; never negative, and none
    below 1e-9 of that height."""
    peak = np.maximum(np.maximum.accumulate(equity), capital)
    fall = peak - equity
    return np.where(fall < 1e-9 * np.abs(peak), 0.0, fall)


def _figures(record: Record, sums: Sums) -> Figures:
    """The figures of sums; the record gives what belongs to every point of its equity, and the capital."""
    found: Figures = dict.fromkeys(FIGURE_KEYS)
    found |= _trade_figures(record, sums)
    found |= _equity_figures(record, sums)
    drawdown = found["max_drawdown"]
    if drawdown:
        found["return_over_drawdown"] = float(found["net_profit"] or 0.0) / drawdown
    return found


def _trade_figures(record: Record, sums: Sums) -> Figures:
    count, wins, won, lost = int(sums.trades), int(sums.wins), sums.won, sums.lost
    losses, net = count - wins, won - lost
    costs = sums.commission + sums.spread + sums.slippage + sums.financing
    found: Figures = {
        "net_profit": net,
        "return": net / record.capital if record.capital > 0 else None,
        "trades": count,
        "total_commission": sums.commission,
        "total_spread": sums.spread,
        "total_slippage": sums.slippage,
        "total_financing": sums.financing,
        "total_costs": costs,
        "costs_share": costs / sums.gross if sums.gross > 1e-9 * costs else None,  # less is rounding
        "ambiguous_trades": int(sums.ambiguous),
        "exposure": sums.in_position / max(1, record.closes.size),
    }
    if count == 0:
        return found
    found |= {
        "win_rate": wins / count,
        "average_trade": net / count,
        "average_win": won / wins if wins else None,
        "average_loss": -lost / losses if losses else None,
        "profit_factor": won / lost if lost > 0 else None,
        "payoff": won / wins / (lost / losses) if wins and lost > 0 else None,
        "expectancy_r": sums.in_r / sums.with_r if sums.with_r else None,
        "largest_win": sums.best if sums.best > 0 else None,
        "largest_loss": sums.worst if sums.worst < 0 else None,
        "longest_winning_run": int(sums.winning_run),
        "longest_losing_run": int(sums.losing_run),
        "average_bars_held": sums.held / count,
    }
    return found


def _equity_figures(record: Record, sums: Sums) -> Figures:
    found: Figures = {
        "max_drawdown": sums.drawdown,
        "max_drawdown_percent": sums.drawdown_percent,
        "max_drawdown_days": 0.0,
    }
    if sums.drawdown > 0:
        start = record.closes[int(sums.peak)] if sums.peak >= 0 else record.begins
        found["max_drawdown_days"] = float(record.closes[int(sums.recovery)] - start) / 86_400.0
    if record.held_from > 0:
        found["holding_return"] = float(record.holding[-1] / record.held_from - 1.0)
    if record.capital > 0:
        found |= _daily_figures(record, sums)
    return found


def daily_of(record: Record) -> Daily | None:
    """A record's days, the first from the initial capital. None when equity was ever at or below 0."""
    whole = np.concatenate(([record.capital], record.equity[record.day_ends]))
    return Daily(record.days, np.asarray(whole[1:] / whole[:-1] - 1.0)) if (whole > 0).all() else None


def _days_a_year(record: Record) -> float:
    return record.days.size * _YEAR_DAYS / float(record.days[-1] - record.days[0] + 1)


def _daily_figures(record: Record, sums: Sums) -> Figures:
    per_year = _days_a_year(record)
    found: Figures = {}
    if sums.final > 0:
        found["yearly_growth"] = (sums.final / record.capital) ** (per_year / record.days.size) - 1.0
    root = per_year**0.5
    if sums.deviation > 0:
        found["sharpe"] = sums.mean / sums.deviation * root
        found["sharpe_error"] = sums.sharpe_error * root
    if sums.falls > 0:
        found["sortino"] = sums.mean / sums.falls * root
    if sums.held_variance > 0:
        found["beta"] = sums.covariance / sums.held_variance
        found["alpha"] = (sums.mean - sums.covariance / sums.held_variance * sums.held_mean) * per_year
        found["alpha_error"] = sums.alpha_error * per_year
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _equity_of(
    capital, first, last, closes, value, chosen, side, entry_bar, ends, begins, rows, nightly, of_long, of_short
):
    """`begins`: first night's bar; `ends`: the first bar at whose close a trade counts as closed."""
    out = np.zeros(last - first + 1)
    closed = np.zeros(out.size + 1)
    for t in chosen:
        units = rows[t].units
        scale = units * side[t]
        percent = of_long if side[t] > 0 else of_short
        paid = rows[t].entry_fee
        for i in range(entry_bar[t], ends[t]):
            now = value[i] if value.size > 1 else value[0]
            if nightly.size > 0 and i >= begins[t]:
                before = value[i - 1] if value.size > 1 else value[0]
                paid += units * nightly[i] * percent * before
            out[i - first] += (closes[i] - rows[t].entry_price) * scale * now - paid
        closed[ends[t] - first] += rows[t].net
    earned = capital
    for i in range(out.size):
        earned += closed[i]
        out[i] += earned
    return out
