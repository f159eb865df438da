# mypy: disable-error-code="no-untyped-def"
"""Figures of a finished run."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import blake2b

import numpy as np
from numba import njit

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.engine import Moment, Outcome, Reason, Rows
from skelb.core.figures.definitions import FIGURE_KEYS
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
        covered(trades.entry_bar[chosen], (trades.entry_bar + trades.bars_held)[chosen]),
        outcome.cash_rate,
    )


def covered(begins: Ints, ends: Ints) -> int:
    """How many places lie in at least one of some stretches, each from its beginning to before its end."""
    order = np.argsort(begins, kind="stable")
    begins, ends = begins[order], ends[order]
    reached = np.concatenate((begins[:1], np.maximum.accumulate(ends)[:-1]))
    return int(np.maximum(0, ends - np.maximum(begins, reached)).sum())


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
    found: Figures = dict.fromkeys(FIGURE_KEYS)
    found |= _trade_figures(record)
    found |= _equity_figures(record)
    drawdown = found["max_drawdown"]
    if drawdown:
        found["return_over_drawdown"] = float(found["net_profit"] or 0.0) / drawdown
    return found


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


def _trade_figures(record: Record) -> Figures:
    sums = _trade_sums(record.rows, record.bars_held, record.ambiguous)
    count, wins, won, lost = int(sums[_COUNT]), int(sums[_WINS]), float(sums[_WON]), float(sums[_LOST])
    losses, net = count - wins, won - lost
    costs = float(sums[_FEES] + sums[_SPREADS] + sums[_SLIPPED] + sums[_NIGHTS])
    gross = float(sums[_GROSS])
    found: Figures = {
        "net_profit": net,
        "return": net / record.capital if record.capital > 0 else None,
        "trades": count,
        "total_commission": float(sums[_FEES]),
        "total_spread": float(sums[_SPREADS]),
        "total_slippage": float(sums[_SLIPPED]),
        "total_financing": float(sums[_NIGHTS]),
        "total_costs": costs,
        "costs_share": costs / gross if gross > 0 else None,
        "ambiguous_trades": int(sums[_AMBIGUOUS]),
        "exposure": record.in_position / max(1, record.equity.size),
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
        "expectancy_r": float(sums[_IN_R] / sums[_WITH_R]) if sums[_WITH_R] else None,
        "largest_win": float(sums[_BEST]) if sums[_BEST] > 0 else None,
        "largest_loss": float(sums[_WORST]) if sums[_WORST] < 0 else None,
        "longest_winning_run": int(sums[_WINNING]),
        "longest_losing_run": int(sums[_LOSING]),
        "average_bars_held": float(sums[_HELD]) / count,
    }
    return found


def _equity_figures(record: Record) -> Figures:
    money, percent, peak, recovery = _largest_drawdown(record.equity, record.capital)
    found: Figures = {"max_drawdown": money, "max_drawdown_percent": percent, "max_drawdown_days": 0.0}
    if money > 0:
        start = record.closes[peak] if peak >= 0 else record.begins
        found["max_drawdown_days"] = float(record.closes[recovery] - start) / 86_400.0
    if record.held_from > 0:
        found["holding_return"] = float(record.holding[-1] / record.held_from - 1.0)
    if record.capital > 0:
        found |= _daily_figures(record)
    return found


def daily_of(record: Record) -> Daily | None:
    """A record's days, the first from the initial capital. None when equity was ever at or below 0."""
    whole = np.concatenate(([record.capital], record.equity[record.day_ends]))
    return Daily(record.days, np.asarray(whole[1:] / whole[:-1] - 1.0)) if (whole > 0).all() else None


def _daily_figures(record: Record) -> Figures:
    per_year = record.days.size * _YEAR_DAYS / float(record.days[-1] - record.days[0] + 1)
    found: Figures = {}
    final = float(record.equity[-1])
    if final > 0:
        found["yearly_growth"] = (final / record.capital) ** (per_year / record.days.size) - 1.0
    mean, deviation, falls, held_mean, held_variance, covariance, sharpe_error, alpha_error = _daily_sums(
        record.equity, record.capital, record.holding, record.held_from, record.day_ends,
        record.cash_rate / 100.0 / per_year,
    ).tolist()  # fmt: skip
    root = per_year**0.5
    if deviation > 0:
        found["sharpe"] = mean / deviation * root
        found["sharpe_error"] = sharpe_error * root
    if falls > 0:
        found["sortino"] = mean / falls * root
    if held_variance > 0:
        found["beta"] = covariance / held_variance
        found["alpha"] = (mean - covariance / held_variance * held_mean) * per_year
        found["alpha_error"] = alpha_error * per_year
    return found


# What `_trade_sums` counts.
(
    _COUNT, _WINS, _WON, _LOST, _GROSS, _FEES, _SPREADS, _SLIPPED, _NIGHTS, _IN_R, _WITH_R, _BEST, _WORST, _HELD,
    _AMBIGUOUS, _WINNING, _LOSING,
) = range(17)  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _trade_sums(rows, bars_held, ambiguous):
    """All that the trade figures are made of, in one pass over the ledger's rows."""
    sums = np.zeros(17)
    winning = 0
    losing = 0
    for t in range(bars_held.size):
        row = rows[t]
        net = row.net
        sums[_COUNT] += 1
        if net > 0.0:
            sums[_WINS] += 1
            sums[_WON] += net
            winning += 1
            losing = 0
        else:
            sums[_LOST] -= net
            losing += 1
            winning = 0
        sums[_WINNING] = max(sums[_WINNING], winning)
        sums[_LOSING] = max(sums[_LOSING], losing)
        sums[_BEST] = max(sums[_BEST], net)
        sums[_WORST] = min(sums[_WORST], net)
        sums[_GROSS] += row.gross
        sums[_FEES] += row.commission
        sums[_SPREADS] += row.spread
        sums[_SLIPPED] += row.slippage
        sums[_NIGHTS] += row.financing
        in_r = row.r
        if in_r == in_r:
            sums[_IN_R] += in_r
            sums[_WITH_R] += 1
        sums[_AMBIGUOUS] += ambiguous[t]
        sums[_HELD] += bars_held[t]
    return sums


@njit(cache=True, nogil=True, error_model="numpy")
def _daily_sums(equity, capital, held, held_from, day_ends, cash):
    """Mean, sample deviation and root mean square of the falls of equity's relative changes from day to day beyond what
    `cash` earns a day; mean, variance and covariance of those of what is held; the standard errors of mean over
    deviation, and of what the mean is beyond what is held (Lo 2002, Financial Analysts Journal 58(4); Newey and West
    1987, with lags as of their 1994 paper). Zeros when there are under two, or when a value is not above 0."""
    found = np.zeros(8)
    n = day_ends.size
    changes = np.empty(n)
    market = np.empty(n)
    before = capital
    held_before = held_from
    is_held_known = held_from > 0.0
    if n < 2:
        return found
    for k in range(n):
        now = equity[day_ends[k]]
        if not now > 0.0:
            return found
        changes[k] = now / before - 1.0 - cash
        before = now
        now = held[day_ends[k]]
        is_held_known &= now > 0.0
        market[k] = now / held_before - 1.0 - cash
        held_before = now
    mean = changes.mean()
    held_mean = market.mean()
    spread = 0.0
    falls = 0.0
    variance = 0.0
    shared = 0.0
    for k in range(n):
        spread += (changes[k] - mean) ** 2
        falls += min(changes[k], 0.0) ** 2
        variance += (market[k] - held_mean) ** 2
        shared += (changes[k] - mean) * (market[k] - held_mean)
    found[0] = mean
    found[1] = np.sqrt(spread / (n - 1))
    found[2] = np.sqrt(falls / n)
    if is_held_known:
        found[3] = held_mean
        found[4] = variance / n
        found[5] = shared / n
    # What every day adds to the ratio, and to the intercept, beyond its mean.
    if spread > 0.0:
        deviation = np.sqrt(spread / n)
        adds = (changes - mean) / deviation
        adds -= mean / deviation / 2.0 * (adds * adds - 1.0)
        found[6] = _error_of_mean(adds)
    if is_held_known and variance > 0.0:
        slope = shared / variance
        rest = changes - mean - slope * (market - held_mean)
        found[7] = _error_of_mean(rest * (1.0 - (market - held_mean) * held_mean / (variance / n)))
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _error_of_mean(adds):
    """The standard error of a mean of values about 0 that may hang together, with Bartlett's weights."""
    n = adds.size
    lags = min(int(4.0 * (n / 100.0) ** (2.0 / 9.0)), n - 1)
    total = np.sum(adds * adds)
    for lag in range(1, lags + 1):
        total += 2.0 * (1.0 - lag / (lags + 1.0)) * np.sum(adds[lag:] * adds[: n - lag])
    return np.sqrt(max(total, 0.0)) / n


@njit(cache=True, nogil=True, error_model="numpy")
def _largest_drawdown(equity, capital):
    peak = capital
    peak_at = -1
    money = 0.0
    share = 0.0
    start = -1
    bottom = 0
    depth = np.inf  # equity below this is a new largest fall, in money or as a share of the peak
    for i in range(equity.size):
        now = equity[i]
        if now > peak:
            peak = now
            peak_at = i
            depth = max(peak - money, peak * (1.0 - share)) if peak > 0.0 else peak - money
        elif now < depth and peak - now >= 1e-9 * abs(peak):  # less is the rounding of the arithmetic
            if peak - now > money:
                money = peak - now
                start = peak_at
                bottom = i
            if peak > 0.0:
                share = max(share, (peak - now) / peak)
            depth = max(peak - money, peak * (1.0 - share)) if peak > 0.0 else peak - money
    height = capital if start < 0 else equity[start]
    recovery = equity.size - 1
    for i in range(bottom, equity.size):
        if equity[i] >= height:
            recovery = i
            break
    return money, share * 100.0, start, recovery


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
