# mypy: disable-error-code="no-untyped-def"
"""What figures are made of: sums over trades, over equity bar by bar, and over its changes from day to day."""

from typing import NamedTuple

import numpy as np
from numba import njit

from skelb.core.engine import Moment


class Sums(NamedTuple):
    """Sums of one run.

    trades, wins : how many; won, lost : their nets, both above 0; gross to financing : money
    in_r, with_r : results in R, and how many have one; best, worst : the largest net, at most or at least 0
    held : bars of all trades; ambiguous : trades; winning_run, losing_run : the longest
    drawdown, drawdown_percent : the largest falls; peak, recovery : points of equity, a peak of -1 is the capital
    mean to held_variance : of relative changes from day to day beyond what cash earns, of equity and of what is held:
        mean, sample deviation and root mean square of falls; mean and variance; covariance : of both
    sharpe_error, alpha_error : standard errors of mean over deviation, and of what the mean is beyond what is held
    final : the last equity; is_above_0 : whether capital and equity at every day's end are
    in_position : points at which a position was open
    """

    trades: float
    wins: float
    won: float
    lost: float
    gross: float
    commission: float
    spread: float
    slippage: float
    financing: float
    in_r: float
    with_r: float
    best: float
    worst: float
    held: float
    ambiguous: float
    winning_run: float
    losing_run: float
    drawdown: float
    drawdown_percent: float
    peak: float
    recovery: float
    mean: float
    deviation: float
    falls: float
    held_mean: float
    held_variance: float
    covariance: float
    sharpe_error: float
    alpha_error: float
    final: float
    is_above_0: float
    in_position: float


_STRETCH = 64
_AT_OPEN = int(Moment.OPEN)
SUMS = np.dtype([(name, "f8") for name in Sums._fields], align=True)


@njit(cache=True, nogil=True, error_model="numpy")
def sum_up(rows, bars_held, ambiguous, equity, capital, held, held_from, day_ends, cash, found):
    """Write the sums of a ledger's rows and of equity into a record of zeros, but for `in_position`.

    held : what holding is worth at equity's points, and `held_from` at the first open; cash : earned a day, a share
    """
    _sum_up_trades(rows, bars_held, ambiguous, found)
    _largest_fall(equity, capital, found)
    _sum_up_days(equity, capital, held, held_from, day_ends, cash, found)
    found.final = equity[-1]
    found.is_above_0 = capital > 0.0
    for end in day_ends:
        if not equity[end] > 0.0:
            found.is_above_0 = 0.0


@njit(cache=True, nogil=True, error_model="numpy")
def sum_up_points(rows, ends, equity, capital, held, held_from, day_ends, cash, found, changes):
    """`sum_up` for points whose trades stand one after the other, to before `ends`; `found`, shape (points,), with
    equity of shape (points, n), also their `in_position`; `changes`, shape (points, days), of equity."""
    begin = 0
    for point in range(ends.size):
        mine, equity_of, found_of = rows[begin : ends[point]], equity[point], found[point]
        begins = np.empty(mine.size, np.int64)
        bars_held = np.empty(mine.size, np.int64)
        ambiguous = np.empty(mine.size, np.int64)
        for t in range(mine.size):
            row = mine[t]
            begins[t] = row.entry_bar
            bars_held[t] = row.exit_bar - row.entry_bar + (row.moment != _AT_OPEN)
            ambiguous[t] = row.ambiguous
        sum_up(mine, bars_held, ambiguous, equity_of, capital, held, held_from, day_ends, cash, found_of)
        found_of.in_position = covered(begins, begins + bars_held)
        before = capital
        for k in range(day_ends.size):
            changes[point, k] = equity_of[day_ends[k]] / before - 1.0
            before = equity_of[day_ends[k]]
        begin = ends[point]


@njit(cache=True, nogil=True, error_model="numpy")
def covered(begins, ends):
    """How many places, from 0, lie in at least one of some stretches, each from its beginning to before its end."""
    in_order = True
    for t in range(1, begins.size):
        in_order &= begins[t - 1] <= begins[t]
    order = np.arange(begins.size) if in_order else np.argsort(begins)
    count = 0
    reached = 0
    for t in order:
        if ends[t] > max(begins[t], reached):
            count += ends[t] - max(begins[t], reached)
            reached = ends[t]
    return count


@njit(cache=True, nogil=True, error_model="numpy")
def _sum_up_trades(rows, bars_held, ambiguous, found):
    winning = 0
    losing = 0
    for t in range(bars_held.size):
        row = rows[t]
        net = row.net
        found.trades += 1
        if net > 0.0:
            found.wins += 1
            found.won += net
            winning += 1
            losing = 0
        else:
            found.lost -= net
            losing += 1
            winning = 0
        found.winning_run = max(found.winning_run, winning)
        found.losing_run = max(found.losing_run, losing)
        found.best = max(found.best, net)
        found.worst = min(found.worst, net)
        found.gross += row.gross
        found.commission += row.commission
        found.spread += row.spread
        found.slippage += row.slippage
        found.financing += row.financing
        in_r = row.r
        if in_r == in_r:
            found.in_r += in_r
            found.with_r += 1
        found.ambiguous += ambiguous[t]
        found.held += bars_held[t]


@njit(cache=True, nogil=True, error_model="numpy")
def _sum_up_days(equity, capital, held, held_from, day_ends, cash, found):
    """Of the errors see Lo 2002, Financial Analysts Journal 58(4); Newey and West 1987, with lags as of their 1994
    paper. Zeros when there are under two days, or when equity is not above 0 at a day's end."""
    n = day_ends.size
    changes = np.empty(n)
    market = np.empty(n)
    before = capital
    held_before = held_from
    is_held_known = held_from > 0.0
    if n < 2:
        return
    for k in range(n):
        now = equity[day_ends[k]]
        if not now > 0.0:
            return
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
    found.mean = mean
    found.deviation = np.sqrt(spread / (n - 1))
    found.falls = np.sqrt(falls / n)
    if is_held_known:
        found.held_mean = held_mean
        found.held_variance = variance / n
        found.covariance = shared / n
    # What every day adds to the ratio, and to the intercept, beyond its mean.
    if spread > 0.0:
        deviation = np.sqrt(spread / n)
        adds = (changes - mean) / deviation
        adds -= mean / deviation / 2.0 * (adds * adds - 1.0)
        found.sharpe_error = _error_of_mean(adds)
    if is_held_known and variance > 0.0:
        slope = shared / variance
        rest = changes - mean - slope * (market - held_mean)
        found.alpha_error = _error_of_mean(rest * (1.0 - (market - held_mean) * held_mean / (variance / n)))


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
def _stays(values, low, high):
    """Whether all of some values lie within a range; several are compared at once."""
    outside = 0
    for j in range(values.size):
        outside |= int(values[j] < low) | int(values[j] > high)
    return outside == 0


@njit(cache=True, nogil=True, error_model="numpy")
def _largest_fall(equity, capital, found):
    peak = capital
    peak_at = -1
    money = 0.0
    share = 0.0
    start = -1
    bottom = 0
    depth = np.inf  # equity below this is a new largest fall, in money or as a share of the peak
    for begin in range(0, equity.size, _STRETCH):
        end = min(begin + _STRETCH, equity.size)
        if _stays(equity[begin:end], depth, peak):
            continue
        for i in range(begin, end):
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
    found.drawdown = money
    found.drawdown_percent = share * 100.0
    found.peak = start
    found.recovery = recovery
