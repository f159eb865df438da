# mypy: disable-error-code="no-untyped-def, no-untyped-call, call-overload"
"""The compiled simulation: one pass over the bars, in the order the engine page gives.

Everything the compiler inlines lives in this file: its on-disk cache notices edits only here. The kernel is
resumable: it takes its state in arrays, and when the ledger is full, or at the moment it was asked to stop before,
it returns the moment it has come to.

Several markets on one account are laid end to end: bar numbers run over all of them, and `Series.order` gives the
bars of each moment. One market needs no order. Its quiet stretches (nothing can happen until a flag, a touched level
or a time limit) run in three tight loops; any bar on which something may happen goes through one slow path.
"""

import math
from collections import namedtuple

import numpy as np
from numba import njit, types


def _made(**options):
    """A decorator for the functions here that `simulate` calls, which alone is called from Python.

    Without reference counts, which would cost more than the simulation: nothing here makes an array. One version
    each: the compiler would make another for every constant that is passed.
    """
    make = njit(nogil=True, _nrt=False, error_model="numpy", no_cpython_wrapper=True, no_cfunc_wrapper=True, **options)

    def decorate(function):
        made = make(function)
        if made is function:  # run without the compiler, to look for a fault
            return made
        typed = made.get_call_template
        made.get_call_template = lambda args, kws: typed(tuple(types.unliteral(arg) for arg in args), kws)
        return made

    return decorate


_compiled, _inlined = _made(), _made(forceinline=True)

# Bits of `flags`, as in plan.columns.Flag.
ENTER_LONG, ENTER_SHORT, EXIT_LONG, EXIT_SHORT, BLOCKED, FLAT_OPEN, FLAT_CLOSE, NIGHT = 1, 2, 4, 8, 16, 32, 64, 128

# Columns of one side, as in plan.columns.Column; then the shared ones; then those of each entry rule (as in
# plan.columns.RuleColumn), one price for each exit rule, one amount for each target of a part.
(
    STOP_PRICE, STOP_PERCENT, STOP_AT, TARGET_PRICE, TARGET_PERCENT, TARGET_R, TARGET_AT, TRAIL, TRAIL_ONCE,
    TRAIL_AT, EVEN_ONCE, EVEN_PLUS,
) = range(12)  # fmt: skip
PER_SIDE, SPREAD, NIGHTS, RATE, OF_RULES = 12, 24, 25, 26, 27
SIZE, MOST, PRICE = range(3)
PER_RULE = 3

# Units of the distances TRAIL, TRAIL_ONCE, EVEN_ONCE, EVEN_PLUS, in this order in `units`, one row a side; and of parts.
IN_PRICE, IN_PERCENT, IN_R, AS_PRICE = range(4)
U_TRAIL, U_TRAIL_ONCE, U_EVEN_ONCE, U_EVEN_PLUS = range(4)

# How a rule's order is given, as in plan.columns.OrderForm.
AT_MARKET, AT_THIS_CLOSE, AT_LIMIT, AT_STOP = range(4)

# What is known of each entry rule; the row of `signals` that says when it is yes, -1 where the side's flag says it.
E_SIDE, E_FORM, E_LIFE, E_SIZE, E_ROW, E_PROGRAM = range(6)
# What is known of each exit rule: sides 1 long, 2 short, 3 both; whether it closes all lots of its side; a bit
# for each entry rule whose lots it is for.
X_SIDES, X_FORM, X_LIFE, X_WHOLE, X_ROW, X_PROGRAM, X_LOTS = range(7)
# Targets of parts: sides as above, unit.
T_SIDES, T_UNIT = range(2)

# Resting orders, one row for each entry rule, then two for each exit rule (of long, of short positions).
O_ON, O_UNTIL, O_BAR = range(3)

# Programs on the position: plan.watching's columns, and the registers of the position's values.
W_STEP, W_STEP_END, W_COLUMN, W_COLUMN_END, W_MADE, W_ROW = range(6)
(
    P_ENTRY_PRICE, P_BARS_HELD, P_DAYS_HELD, P_OPEN_PROFIT, P_BEST_PROFIT, P_WORST_PROFIT, P_POSITION, P_STOP_PRICE,
    P_TARGET_PRICE,
) = range(9)  # fmt: skip
POSITION_NAMES = 9
MADE_BEFORE_LEVELS, MADE_BEFORE_EXITS, MADE_BEFORE_ENTRIES, ASKED = range(4)  # when a program runs: W_MADE

# Limits: entries and losses a day, percent of loss a day, bars of pause after a stop, a loss, any exit.
K_ENTRIES, K_LOSSES, K_LOSS, K_AFTER_STOP, K_AFTER_LOSS, K_AFTER_EXIT = range(6)

# Reasons of exits; a rule's exit carries the rule's number besides.
BY_RULE, BY_STOP, BY_TARGET, BY_TIME, BY_FLAT, BY_REVERSE, BY_RUIN, BY_END, BY_TRAIL, BY_EVEN = range(10)

# Why an order did not become a trade.
(
    SKIP_WINDOW, SKIP_FLAT, SKIP_MARGIN, SKIP_BEYOND_STOP, SKIP_BEYOND_TARGET, SKIP_UNKNOWN, SKIP_BOTH, SKIP_LOT,
    SKIP_LIMIT, SKIP_PAUSE, SKIP_EXPIRED,
) = range(1, 12)  # fmt: skip

# Moments inside a bar.
AT_OPEN, INSIDE, AT_CLOSE = range(3)

# All small state and every table live in two arrays, `q` of whole numbers and `f` of numbers: first the account, then a
# block for each market, of one size in both, then tables. `m` is where a market's block begins. This keeps calls short
# and a copy of the two is a copy of the whole run. engine.memory lays them out.
(
    A_MOMENT, A_TRADES, A_SKIPS, A_CUTS, A_RUINED, A_POSITIONS, H_MARKETS, H_BLOCK, H_ENTRIES, H_EXITS, H_PARTS, H_PROGRAMS,
    H_ORDERS, H_DAY_STRIDE, H_WAITING, H_DUE, H_ORDER, H_LOT, H_CONSTANTS, H_PRICE, H_LOT_NUMBERS, H_LOT_SIZE,
    H_ENTRY_TABLE, H_EXIT_TABLE, H_PART_TABLE, H_PROGRAM_TABLE, H_STEPS, H_UNITS, H_SLOTS, H_SHARES, H_LIMITS,
    H_REGISTERS, H_KNOWN, H_ASKS_FLAT, H_MADE,
) = range(35)  # fmt: skip
A_CASH, A_REALISED = range(2)
HEAD = 35

# A market's block. Whole numbers: settings, then state; S_DUE and S_WAITING count what waits for the next open.
(
    I_FIRST, I_LAST, I_PATH, I_SKIP_SHORT, I_OPPOSITE, I_AFTER_LONG, I_AFTER_SHORT, I_BID, I_SPREAD_PERCENT, I_TICKS_IN_ONE,
    I_INVERTED, I_CLOSE_AFTER_LONG, I_CLOSE_AFTER_SHORT, I_DAYS_LONG, I_DAYS_SHORT, I_CLOSE_DAYS_LONG, I_CLOSE_DAYS_SHORT,
    I_MOVING, I_LIMITED, I_ROOM, I_IN_DETAIL, I_MOST_POSITIONS, I_NUMBER,
    S_SIDE, S_LOTS, S_WAITING, S_EXIT_DUE, S_EXIT_RULE, S_DUE, S_DAY, S_DAY_ENTRIES, S_DAY_LOSSES, S_LOST_DAY,
    S_PAUSED_UNTIL, S_PIECE, S_BAR,
) = range(36)  # fmt: skip
MARKET_INTS = 36
# Numbers: settings, then X_VALUE, point value times currency rate at this moment.
(
    F_TICK, F_VALUE, F_STEP, F_MIN_LOT, F_SLIPPAGE, F_FEE_PERCENT, F_FEE_UNIT, F_FEE_ORDER, F_FEE_MINIMUM,
    F_LEVERAGE, F_STOP_OUT, F_FINANCING_LONG, F_FINANCING_SHORT, F_CAPITAL, X_VALUE,
) = range(15)  # fmt: skip
MARKET_FLOATS = 15

# A lot: whole numbers.
L_BAR, L_MOMENT, L_RULE, L_KIND, L_PIECE = range(5)
# A lot: numbers; money and margin are of the units left. L_OPEN: open profit at the last close.
(
    L_UNITS, L_FULL, L_TAKEN, L_MID, L_PAID, L_STOP, L_TARGET, L_WHOLE, L_RISK, L_HIGH, L_LOW, L_FEE, L_SPREAD,
    L_SLIPPAGE, L_FINANCING, L_MARGIN, L_FIRST_STOP, L_FIRST_TARGET, L_TRAIL, L_TRAIL_ONCE, L_EVEN_ONCE, L_EVEN_PLUS,
    L_OPEN,
) = range(23)  # fmt: skip

# Trade columns.
(
    TI_SIDE, TI_ENTRY_BAR, TI_EXIT_BAR, TI_ENTRY_RULE, TI_REASON, TI_EXIT_RULE, TI_MOMENT, TI_AMBIGUOUS, TI_ENTRY_MOMENT,
    TI_MARKET, TI_ENDS_LOT,
) = range(11)  # fmt: skip
(
    TF_UNITS, TF_ENTRY_MID, TF_EXIT_MID, TF_ENTRY_PRICE, TF_EXIT_PRICE, TF_GROSS, TF_COMMISSION, TF_SPREAD,
    TF_SLIPPAGE, TF_FINANCING, TF_NET, TF_R, TF_BEST, TF_WORST, TF_STOP, TF_TARGET, TF_EQUITY, TF_RISK, TF_ENTRY_FEE,
) = range(19)  # fmt: skip
TRADE_INTS, TRADE_FLOATS, SKIP_INTS = 11, 19, 5
LOT_INTS, LOT_FLOATS = 5, 23

# What runs along the bars, n over all markets, and the ledger:
#   opens, highs, lows, closes float64 (n,); flags, blocks uint8 (n,); signals uint8 (s, n)
#   rows float64 (r, n): the columns that vary, and the inputs of programs
#   days int64 (3, n) or (3, 1) with H_DAY_STRIDE: a bar's trading day, its first bar, whether the close ends it
#   pieces float64 (4, p), piece_starts int64 (n + 1,): finer bars, and the first of each bar
#   order int64: bar numbers moment by moment; ends int64: the end of each moment's in `order`; bases int64 (n,): where
#     the block of each bar's market begins. All three (0,) for one market, whose moments are its bars
#   equity float64 (n,), ti int64, tf float64, skips int64: written
Series = namedtuple(
    "Series",
    "opens highs lows closes flags blocks signals rows days pieces piece_starts order ends bases equity ti tf skips",
)


@_inlined
def _base(k, q):
    """Where the block of market k begins."""
    return HEAD + k * q[H_BLOCK]


@_inlined
def _entry(e, q):
    return q[H_ENTRY_TABLE] + 6 * e


@_inlined
def _exit(x, q):
    return q[H_EXIT_TABLE] + 7 * x


@_inlined
def _part(p, q):
    return q[H_PART_TABLE] + 2 * p


@_inlined
def _program(g, q):
    return q[H_PROGRAM_TABLE] + 6 * g


@_inlined
def _order(order, m, q):
    return m + q[H_ORDER] + 3 * order


@_inlined
def _price(order, m, q):
    return m + q[H_PRICE] + order


@_inlined
def _lot(n, m, q):
    """Where the whole numbers of lot n begin."""
    return m + q[H_LOT] + LOT_INTS * n


@_inlined
def _numbers(n, m, q):
    """Where the numbers of lot n begin; after them the level and the share of each target of a part."""
    return m + q[H_LOT_NUMBERS] + q[H_LOT_SIZE] * n


@_inlined
def _goal(n, p, m, q):
    return _numbers(n, m, q) + LOT_FLOATS + 2 * p


@_inlined
def _rounded(x, tick, ticks_in_one):
    """A level on the tick grid; infinite and unknown levels pass through."""
    if not math.isfinite(x):
        return x
    k = np.floor(abs(x) / tick + 0.5 + 1e-9)
    level = k / ticks_in_one if ticks_in_one > 0 else k * tick
    return level if x >= 0.0 else -level


@_inlined
def _at(column, i, m, q, f, series):
    """A column's value at bar i."""
    row = q[q[H_SLOTS] + column]
    return series.rows[row, i] if row >= 0 else f[m + q[H_CONSTANTS] + column]


@_inlined
def _paid_spread(direction, i, mid, m, q, f, series):
    """Distance from mid to the fill that the spread costs: half of it, or all or none on bid prices."""
    spread = _at(SPREAD, i, m, q, f, series)
    if spread != spread:
        spread = 0.0
    if q[m + I_SPREAD_PERCENT]:
        spread = mid * spread / 100.0
    if q[m + I_BID]:
        return spread if direction > 0 else 0.0
    return spread / 2.0


@_inlined
def _fee(units, price, m, f):
    fee = (
        f[m + F_FEE_PERCENT] / 100.0 * (units * price * f[m + X_VALUE]) + f[m + F_FEE_UNIT] * units + f[m + F_FEE_ORDER]
    )
    return max(fee, f[m + F_FEE_MINIMUM])


@_inlined
def _settle(q, f):
    """Cash: capital and all nets, less what the open lots have paid so far."""
    paid = 0.0
    for k in range(q[H_MARKETS]):
        m = _base(k, q)
        for n in range(q[m + S_LOTS]):
            lot = _numbers(n, m, q)
            paid += f[lot + L_FEE] + f[lot + L_FINANCING]
    f[A_CASH] = f[A_REALISED] - paid


@_inlined
def _sum_over_lots(column, q, f):
    """One of the lots' numbers summed over all open lots of all markets."""
    total = 0.0
    for k in range(q[H_MARKETS]):
        m = _base(k, q)
        for n in range(q[m + S_LOTS]):
            total += f[_numbers(n, m, q) + column]
    return total


@_inlined
def _skip(i, side, rule, reason, moment, q, series):
    n = q[A_SKIPS]
    series.skips[n, 0] = i
    series.skips[n, 1] = side
    series.skips[n, 2] = reason
    series.skips[n, 3] = moment
    series.skips[n, 4] = rule
    q[A_SKIPS] = n + 1


@_inlined
def _begin_day(i, m, q, series):
    """Counts of the day start anew with its first event."""
    begins = series.days[1, i * q[H_DAY_STRIDE]]
    if q[m + S_DAY] != begins:
        q[m + S_DAY] = begins
        q[m + S_DAY_ENTRIES] = q[m + S_DAY_LOSSES] = 0


@_compiled
def _count_exit(i, net, reason, m, q, f, series):
    """What limits a day and pauses count."""
    _begin_day(i, m, q, series)
    pause = f[q[H_LIMITS] + K_AFTER_EXIT]
    if net < 0.0:
        q[m + S_DAY_LOSSES] += 1
        pause = max(pause, f[q[H_LIMITS] + K_AFTER_LOSS])
    if reason in (BY_STOP, BY_TRAIL, BY_EVEN):
        pause = max(pause, f[q[H_LIMITS] + K_AFTER_STOP])
    q[m + S_PAUSED_UNTIL] = max(q[m + S_PAUSED_UNTIL], i + int(pause))


@_inlined
def _end_lot(n, m, q, f):
    """Take a lot off the list; the order of the others stays."""
    last = q[m + S_LOTS] - 1
    for place in range(_lot(n, m, q), _lot(last, m, q)):
        q[place] = q[place + LOT_INTS]
    for place in range(_numbers(n, m, q), _numbers(last, m, q)):
        f[place] = f[place + q[H_LOT_SIZE]]
    q[m + S_LOTS] = last
    if last == 0:
        side = q[m + S_SIDE]
        q[m + S_SIDE] = 0
        q[m + S_EXIT_DUE] = -1
        q[A_POSITIONS] -= 1
        for x in range(q[H_EXITS]):
            q[m + q[H_DUE] + x] = 0
        q[m + S_DUE] = 0
        first = q[H_ENTRIES] + (0 if side > 0 else 1)
        for order in range(first, q[H_ORDERS], 2):  # exits that rest end with what they would close
            q[_order(order, m, q) + O_ON] = 0


@_inlined
def _close_lot(n, percent, i, mid, slips, reason, rule, moment, ambiguous, m, q, f, series):
    """Close a lot, or `percent` of its first units: write the trade and settle the cash."""
    lot = _numbers(n, m, q)
    side = q[m + S_SIDE]
    units, share = f[lot + L_UNITS], 1.0
    f[lot + L_TAKEN] += percent
    if f[lot + L_TAKEN] < 100.0 - 1e-9:
        step = f[m + F_STEP]
        part = np.floor(f[lot + L_FULL] * percent / 100.0 / step + 1e-9) * step
        if part <= 0.0:
            return
        if part < units:
            share = part / units
            units = part
    value = f[m + X_VALUE]
    spread = _paid_spread(-side, i, mid, m, q, f, series)
    slippage = f[m + F_SLIPPAGE] if slips else 0.0
    price = mid - side * (spread + slippage)
    commission = f[lot + L_FEE] * share + _fee(units, price, m, f)
    spread_cost = f[lot + L_SPREAD] * share + spread * units * value
    slippage_cost = f[lot + L_SLIPPAGE] * share + slippage * units * value
    financing = f[lot + L_FINANCING] * share
    gross = (mid - f[lot + L_MID]) * side * units * value
    net = gross - commission - spread_cost - slippage_cost - financing
    # A level or the open ends the life of the trade, so the rest of that bar is not part of its excursions.
    high, low = max(f[lot + L_HIGH], mid), min(f[lot + L_LOW], mid)
    best, worst = (high, low) if side > 0 else (low, high)
    t = q[A_TRADES]
    ti, tf = series.ti[t], series.tf[t]
    ti[TI_SIDE] = side
    ti[TI_ENTRY_BAR] = q[_lot(n, m, q) + L_BAR]
    ti[TI_EXIT_BAR] = i
    ti[TI_ENTRY_RULE] = q[_lot(n, m, q) + L_RULE]
    ti[TI_REASON] = reason
    ti[TI_EXIT_RULE] = rule
    ti[TI_MOMENT] = moment
    ti[TI_AMBIGUOUS] = ambiguous
    ti[TI_ENTRY_MOMENT] = q[_lot(n, m, q) + L_MOMENT]
    ti[TI_MARKET] = q[m + I_NUMBER]
    ti[TI_ENDS_LOT] = share == 1.0
    tf[TF_UNITS] = units
    tf[TF_ENTRY_MID] = f[lot + L_MID]
    tf[TF_EXIT_MID] = mid
    tf[TF_ENTRY_PRICE] = f[lot + L_PAID]
    tf[TF_EXIT_PRICE] = price
    tf[TF_GROSS] = gross
    tf[TF_COMMISSION] = commission
    tf[TF_SPREAD] = spread_cost
    tf[TF_SLIPPAGE] = slippage_cost
    tf[TF_FINANCING] = financing
    tf[TF_NET] = net
    risk = f[lot + L_RISK] * units * value
    tf[TF_RISK] = f[lot + L_RISK]
    tf[TF_ENTRY_FEE] = f[lot + L_FEE] * share
    tf[TF_R] = net / risk if risk > 0.0 else np.nan
    tf[TF_BEST] = (best - f[lot + L_MID]) * side * units * value
    tf[TF_WORST] = (worst - f[lot + L_MID]) * side * units * value
    tf[TF_STOP] = f[lot + L_FIRST_STOP] if math.isfinite(f[lot + L_FIRST_STOP]) else np.nan
    tf[TF_TARGET] = f[lot + L_FIRST_TARGET] if math.isfinite(f[lot + L_FIRST_TARGET]) else np.nan
    f[A_REALISED] += net
    tf[TF_EQUITY] = f[A_REALISED]
    q[A_TRADES] = t + 1
    if q[m + I_LIMITED]:
        _count_exit(i, net, reason, m, q, f, series)
    if share == 1.0:
        _end_lot(n, m, q, f)
    else:
        f[lot + L_UNITS] -= units
        for column in (L_FEE, L_SPREAD, L_SLIPPAGE, L_FINANCING, L_MARGIN, L_OPEN):
            f[lot + column] -= f[lot + column] * share
    _settle(q, f)


@_inlined
def _close_side(i, mid, slips, reason, rule, moment, m, q, f, series):
    """Close every lot, the oldest first."""
    while q[m + S_LOTS] > 0:
        _close_lot(0, 100.0, i, mid, slips, reason, rule, moment, 0, m, q, f, series)


@_inlined
def _is_for(x, e, q):
    """Whether exit rule x is for the lots of entry rule e."""
    return (q[_exit(x, q) + X_LOTS] >> e) & 1 != 0


@_compiled
def _take_by_rule(x, i, mid, slips, moment, m, q, f, series):
    """What an exit rule takes: its share of every lot that it is for, the oldest first."""
    n = 0
    while n < q[m + S_LOTS]:
        lots = q[m + S_LOTS]
        if _is_for(x, q[_lot(n, m, q) + L_RULE], q):
            _close_lot(n, f[q[H_SHARES] + x], i, mid, slips, BY_RULE, x, moment, 0, m, q, f, series)
        n += 1 if q[m + S_LOTS] == lots else 0


@_inlined
def _percent_of(mid, percent):
    """A percentage of a price as a distance, which is positive for negative prices too; infinite without the rule."""
    return abs(mid) * percent / 100.0 if percent < np.inf or percent != percent else np.inf


@_inlined
def _in_price(amount, unit, mid, risk):
    """A distance in price units; infinite without the rule."""
    return amount if unit == IN_PRICE else _percent_of(mid, amount) if unit == IN_PERCENT else amount * risk


@_compiled
def _moving_distance(kind, j, base, mid, risk, m, q, f, series):
    """A moving level's distance in price units, as it was when the entry was judged; infinite without the rule."""
    column = (
        TRAIL
        if kind == U_TRAIL
        else TRAIL_ONCE
        if kind == U_TRAIL_ONCE
        else EVEN_ONCE
        if kind == U_EVEN_ONCE
        else EVEN_PLUS
    )
    return _in_price(_at(base + column, j, m, q, f, series), q[q[H_UNITS] + (0 if base == 0 else 4) + kind], mid, risk)


@_compiled
def _next_target(n, side, m, q, f):
    """The nearest target that a lot still has, its whole or a part's; infinite without."""
    found = f[_numbers(n, m, q) + L_WHOLE]
    for p in range(q[H_PARTS]):
        level = f[_goal(n, p, m, q)]
        found = min(found, level) if side > 0 else max(found, level)
    f[_numbers(n, m, q) + L_TARGET] = found
    return found


@_compiled
def _lay_parts(n, j, side, mid, risk, m, q, f, series):
    """The levels of a lot's targets of parts; 0 when all are ahead, else why the entry does not happen."""
    for p in range(q[H_PARTS]):
        f[_goal(n, p, m, q)] = side * np.inf
        f[_goal(n, p, m, q) + 1] = f[q[H_SHARES] + q[H_EXITS] + p]
        if (q[_part(p, q) + T_SIDES] & (1 if side > 0 else 2)) == 0:
            continue
        column = OF_RULES + PER_RULE * q[H_ENTRIES] + q[H_EXITS] + p
        amount = _at(column, j, m, q, f, series)
        if amount != amount:
            return SKIP_UNKNOWN
        if q[_part(p, q) + T_UNIT] == AS_PRICE:
            level = 2.0 * mid - amount if q[m + I_INVERTED] else amount
        else:
            level = mid + side * _in_price(amount, q[_part(p, q) + T_UNIT], mid, risk)
        level = _rounded(level, f[m + F_TICK], q[m + I_TICKS_IN_ONE])
        if (level - mid) * side <= 0.0:
            return SKIP_BEYOND_TARGET
        f[_goal(n, p, m, q)] = level
    return 0


@_inlined
def _open_lot(e, j, i, mid, moment, slips, m, q, f, series):
    """Fill entry rule e's order, judged at bar j, at `mid`; 0 when it filled, else why it did not."""
    side = q[_entry(e, q) + E_SIDE]
    n = q[m + S_LOTS]
    base = 0 if side > 0 else PER_SIDE
    tick = f[m + F_TICK]
    ones = q[m + I_TICKS_IN_ONE]
    value = f[m + X_VALUE]
    stop_price = _at(base + STOP_PRICE, j, m, q, f, series)
    stop_percent = _at(base + STOP_PERCENT, j, m, q, f, series)
    stop_at = _at(base + STOP_AT, j, m, q, f, series)
    target_price = _at(base + TARGET_PRICE, j, m, q, f, series)
    target_percent = _at(base + TARGET_PERCENT, j, m, q, f, series)
    target_r = _at(base + TARGET_R, j, m, q, f, series)
    target_at = _at(base + TARGET_AT, j, m, q, f, series)
    amount = _at(OF_RULES + PER_RULE * e + SIZE, j, m, q, f, series)
    most = _at(OF_RULES + PER_RULE * e + MOST, j, m, q, f, series)
    if q[m + I_INVERTED]:  # prices are those of the other side: mirrored about the fill
        stop_at = 2.0 * mid - stop_at
        target_at = 2.0 * mid - target_at
    total = stop_price + stop_percent + target_price + target_percent + target_r + most
    if total != total or stop_at != stop_at or target_at != target_at or amount != amount:
        return SKIP_UNKNOWN
    by_distance = mid - side * min(stop_price, _percent_of(mid, stop_percent))
    stop = max(by_distance, stop_at) if side > 0 else min(by_distance, stop_at)
    stop = _rounded(stop, tick, ones)
    kind = BY_STOP
    risk = abs(mid - stop) if math.isfinite(stop) else 0.0
    trail = even_once = np.inf
    trail_once = even_plus = 0.0
    first_stop = stop
    if q[m + I_MOVING]:
        trail = _moving_distance(U_TRAIL, j, base, mid, risk, m, q, f, series)
        trail_once = _moving_distance(U_TRAIL_ONCE, j, base, mid, risk, m, q, f, series)
        even_once = _moving_distance(U_EVEN_ONCE, j, base, mid, risk, m, q, f, series)
        even_plus = _moving_distance(U_EVEN_PLUS, j, base, mid, risk, m, q, f, series)
        if trail != trail or trail_once != trail_once or even_once != even_once or even_plus != even_plus:
            return SKIP_UNKNOWN
        if trail < np.inf and trail_once == 0.0:
            level = _rounded(mid - side * trail, tick, ones)
            if not math.isfinite(stop):  # the trail is the first stop where there is none
                first_stop = level
                risk = abs(mid - level)
            if (level - stop) * side > 0.0:
                stop = level
                kind = BY_TRAIL
    if (stop - mid) * side >= 0.0:
        return SKIP_BEYOND_STOP
    nearest = min(target_price, _percent_of(mid, target_percent))
    if math.isfinite(target_r):
        nearest = min(nearest, target_r * risk)
    target = mid + side * nearest
    target = min(target, target_at) if side > 0 else max(target, target_at)
    target = _rounded(target, tick, ones)
    if (target - mid) * side <= 0.0:
        return SKIP_BEYOND_TARGET
    if q[H_PARTS] > 0:
        refused = _lay_parts(n, j, side, mid, risk, m, q, f, series)
        if refused != 0:
            return refused
    if n == 0 and q[A_POSITIONS] >= q[m + I_MOST_POSITIONS]:
        return SKIP_LIMIT
    spread = _paid_spread(side, i, mid, m, q, f, series)
    slippage = f[m + F_SLIPPAGE] if slips else 0.0
    price = mid + side * (spread + slippage)
    equity = f[A_CASH] + _sum_over_lots(L_OPEN, q, f)
    form = q[_entry(e, q) + E_SIZE]
    if form == 0:
        units = amount
    elif form == 1:
        units = amount / (price * value)
    elif form == 2:
        units = equity * amount / 100.0 / (price * value)
    elif form == 3:
        units = equity * amount / 100.0 / (risk * value)
    else:
        units = amount / (risk * value)
    units = min(units, most)
    if not units < np.inf:
        return SKIP_UNKNOWN
    per_unit = abs(price) * value / f[m + F_LEVERAGE]
    free = equity - _sum_over_lots(L_MARGIN, q, f)
    if units * per_unit > free * (1.0 + 1e-9):  # all of the equity fits, however it was rounded
        if q[m + I_SKIP_SHORT] or free <= 0.0:
            return SKIP_MARGIN
        units = free / per_unit
        q[A_CUTS] += 1
    units = np.floor(units / f[m + F_STEP] + 1e-9) * f[m + F_STEP]
    if not units >= f[m + F_MIN_LOT]:
        return SKIP_LOT
    q[m + S_SIDE] = side
    q[m + S_LOTS] = n + 1
    if n == 0:
        q[A_POSITIONS] += 1
    q[_lot(n, m, q) + L_BAR] = i if moment != AT_CLOSE else i + 1  # filled at a close, its entry bar is the next
    q[_lot(n, m, q) + L_MOMENT] = moment
    q[_lot(n, m, q) + L_RULE] = e
    q[_lot(n, m, q) + L_KIND] = kind
    q[_lot(n, m, q) + L_PIECE] = q[m + S_PIECE]
    lot = _numbers(n, m, q)
    f[lot + L_UNITS] = f[lot + L_FULL] = units
    f[lot + L_TAKEN] = 0.0
    f[lot + L_MID] = mid
    f[lot + L_PAID] = price
    f[lot + L_STOP] = stop
    f[lot + L_FIRST_STOP] = first_stop
    f[lot + L_TRAIL] = trail
    f[lot + L_TRAIL_ONCE] = trail_once
    f[lot + L_EVEN_ONCE] = even_once
    f[lot + L_EVEN_PLUS] = even_plus
    f[lot + L_WHOLE] = f[lot + L_TARGET] = target
    if q[H_PARTS] > 0:
        target = _next_target(n, side, m, q, f)
    f[lot + L_FIRST_TARGET] = target
    f[lot + L_RISK] = risk
    f[lot + L_HIGH] = mid
    f[lot + L_LOW] = mid
    f[lot + L_FEE] = _fee(units, price, m, f)
    f[lot + L_SPREAD] = spread * units * value
    f[lot + L_SLIPPAGE] = slippage * units * value
    f[lot + L_FINANCING] = 0.0
    f[lot + L_MARGIN] = units * per_unit
    f[lot + L_OPEN] = 0.0
    _settle(q, f)
    if q[m + I_LIMITED]:
        _begin_day(i, m, q, series)
        q[m + S_DAY_ENTRIES] += 1
    if q[H_ORDERS] > 0 and n + 1 >= q[m + I_ROOM]:
        _drop_entry_orders(side, m, q)
    return 0


@_compiled
def _drop_entry_orders(side, m, q):
    """A side that has been filled, by whatever rule, and has no room for more drops its resting entries."""
    for e in range(q[H_ENTRIES]):
        if q[_entry(e, q) + E_SIDE] == side:
            q[_order(e, m, q) + O_ON] = 0


@_compiled
def _move_levels(i, m, q, f, series):
    """After a bar's extremes are known: the trailing and break-even levels for the next bar; they only tighten."""
    side = q[m + S_SIDE]
    base = 0 if side > 0 else PER_SIDE
    tick, ones = f[m + F_TICK], q[m + I_TICKS_IN_ONE]
    for n in range(q[m + S_LOTS]):
        lot = _numbers(n, m, q)
        best = f[lot + L_HIGH] if side > 0 else f[lot + L_LOW]
        moved = (best - f[lot + L_MID]) * side
        if f[lot + L_TRAIL] < np.inf and moved >= f[lot + L_TRAIL_ONCE]:
            level = _rounded(best - side * f[lot + L_TRAIL], tick, ones)
            if (level - f[lot + L_STOP]) * side > 0.0:
                f[lot + L_STOP] = level
                q[_lot(n, m, q) + L_KIND] = BY_TRAIL
        at = _at(base + TRAIL_AT, i, m, q, f, series)
        if math.isfinite(at):
            if q[m + I_INVERTED]:
                at = 2.0 * f[lot + L_MID] - at
            level = _rounded(at, tick, ones)
            if (level - f[lot + L_STOP]) * side > 0.0:
                f[lot + L_STOP] = level
                q[_lot(n, m, q) + L_KIND] = BY_TRAIL
        if moved >= f[lot + L_EVEN_ONCE]:
            level = _rounded(f[lot + L_MID] + side * f[lot + L_EVEN_PLUS], tick, ones)
            if (level - f[lot + L_STOP]) * side > 0.0:
                f[lot + L_STOP] = level
                q[_lot(n, m, q) + L_KIND] = BY_EVEN


# --- inside a bar with resting orders, several lots or parts --------------------------------------------------------
#
# An order's direction is that of its fill: 1 buys, -1 sells. The exits of long positions sell.


@_compiled
def _order_direction(order, q):
    """1 for an order that buys, -1 for one that sells."""
    entries = q[H_ENTRIES]
    if order < entries:
        return q[_entry(order, q) + E_SIDE]
    return -1 if (order - entries) % 2 == 0 else 1


@_compiled
def _is_stop_order(order, q):
    entries = q[H_ENTRIES]
    form = q[_entry(order, q) + E_FORM] if order < entries else q[_exit((order - entries) // 2, q) + X_FORM]
    return form == AT_STOP


@_compiled
def _is_passed(order, at, m, q, f):
    """Whether a price `at` fills a resting order: a limit at or better, a stop at or worse."""
    gap = (f[_price(order, m, q)] - at) * _order_direction(order, q)
    return gap <= 0.0 if _is_stop_order(order, q) else gap >= 0.0


@_compiled
def _may_fill(order, m, q):
    """Whether a resting order may fill in the position as it is now."""
    if order >= q[H_ORDERS] or q[_order(order, m, q) + O_ON] == 0:
        return False
    if order >= q[H_ENTRIES]:
        return True  # exits rest only while there is something to close
    side = q[m + S_SIDE]
    if side == 0:
        return True
    if q[_entry(order, q) + E_SIDE] == side:
        return q[m + S_LOTS] < q[m + I_ROOM]
    return q[m + I_OPPOSITE] != 2


# The same as without `apart`, compiled once and called: for events that are rare.


@_compiled
def _close_lot_apart(n, percent, i, mid, slips, reason, moment, ambiguous, m, q, f, series):
    _close_lot(n, percent, i, mid, slips, reason, -1, moment, ambiguous, m, q, f, series)


@_compiled
def _close_side_apart(i, mid, slips, reason, rule, moment, m, q, f, series):
    _close_side(i, mid, slips, reason, rule, moment, m, q, f, series)


@_compiled
def _enter(e, j, i, mid, moment, slips, m, q, f, series):
    """Open a lot, or write down why not; whether it was opened."""
    refused = _open_lot(e, j, i, mid, moment, slips, m, q, f, series)
    if refused != 0:
        _skip(i, q[_entry(e, q) + E_SIDE], e, refused, moment, q, series)
    return refused == 0


@_compiled
def _fill_order(order, i, mid, moment, m, q, f, series):
    """Fill a resting order at `mid`; whether it opened a lot. An entry takes an opposite position out first."""
    slips = _is_stop_order(order, q)
    q[_order(order, m, q) + O_ON] = 0
    if order >= q[H_ENTRIES]:
        _take_by_rule((order - q[H_ENTRIES]) // 2, i, mid, slips, moment, m, q, f, series)
        return False
    side = q[_entry(order, q) + E_SIDE]
    if q[m + S_SIDE] == -side:
        _close_side_apart(i, mid, slips, BY_REVERSE, -1, moment, m, q, f, series)
        if q[m + I_OPPOSITE] != 0:
            return False
    return _enter(order, q[_order(order, m, q) + O_BAR], i, mid, moment, slips, m, q, f, series)


@_compiled
def _take_target(n, i, mid, moment, ambiguous, m, q, f, series):
    """The nearest target of lot n fills at `mid`: the whole lot's, or a part's."""
    level = f[_numbers(n, m, q) + L_TARGET]
    side = q[m + S_SIDE]
    lots = q[m + S_LOTS]
    if f[_numbers(n, m, q) + L_WHOLE] == level:
        _close_lot_apart(n, 100.0, i, mid, False, BY_TARGET, moment, ambiguous, m, q, f, series)
        return
    for p in range(q[H_PARTS]):
        if f[_goal(n, p, m, q)] == level:
            f[_goal(n, p, m, q)] = side * np.inf
            _close_lot_apart(n, f[_goal(n, p, m, q) + 1], i, mid, False, BY_TARGET, moment, ambiguous, m, q, f, series)
            break
    if q[m + S_LOTS] == lots:
        _next_target(n, side, m, q, f)


@_compiled
def _at_passed_levels(i, o, c, moment, m, q, f, series):
    """Levels and orders that the price `o` has passed fill there: stops, targets, exits, then entries."""
    n = 0
    while n < q[m + S_LOTS]:
        side, lots = q[m + S_SIDE], q[m + S_LOTS]
        lot = _numbers(n, m, q)
        if (o - f[lot + L_STOP]) * side <= 0.0:
            _close_lot_apart(n, 100.0, i, o, True, q[_lot(n, m, q) + L_KIND], moment, 0, m, q, f, series)
        else:
            while q[m + S_LOTS] == lots and (o - f[lot + L_TARGET]) * side >= 0.0:
                _take_target(n, i, o, moment, 0, m, q, f, series)
        n += 1 if q[m + S_LOTS] == lots else 0
    entries = q[H_ENTRIES]
    for order in range(entries, q[H_ORDERS]):
        if q[_order(order, m, q) + O_ON] and _is_passed(order, o, m, q, f):
            _fill_order(order, i, o, moment, m, q, f, series)
    # Of both sides only the one for which the close is worse.
    chosen = 0
    for e in range(entries):
        if _may_fill(e, m, q) and _is_passed(e, o, m, q, f):
            side = q[_entry(e, q) + E_SIDE]
            if chosen == 0 or (c - o) * side < (c - o) * chosen:
                chosen = side
    for e in range(entries):
        if q[_entry(e, q) + E_SIDE] == chosen and _may_fill(e, m, q) and _is_passed(e, o, m, q, f):
            _fill_order(e, i, o, moment, m, q, f, series)


@_compiled
def _nearest_order(direction, first, below, reached, o, high, low, m, q, f):
    """The touched order below or above the open that lies nearest to it, `reached` away or further; -1 for none.

    From `first` 0 on entries, from their number on exits; `direction` 0 takes orders of both. One that the open had
    passed already does not fill in this bar.
    """
    found = -1
    end = q[H_ENTRIES] if first == 0 else q[H_ORDERS]
    for order in range(first, end):
        price = f[_price(order, m, q)]
        if not _may_fill(order, m, q) or _is_passed(order, o, m, q, f):
            continue
        if direction != 0 and _order_direction(order, q) != direction:
            continue
        touched = low <= price < o if below else o < price <= high
        if touched and abs(price - o) >= reached and (found < 0 or abs(price - o) < abs(f[_price(found, m, q)] - o)):
            found = order
    return found


@_compiled
def _nearest_either_way(side, o, high, low, m, q, f):
    """The touched entry of a side nearest to the open; of two as near, the one below."""
    under = _nearest_order(side, 0, True, 0.0, o, high, low, m, q, f)
    over = _nearest_order(side, 0, False, 0.0, o, high, low, m, q, f)
    if under >= 0 and (over < 0 or abs(f[_price(under, m, q)] - o) <= abs(f[_price(over, m, q)] - o)):
        return under
    return over


@_compiled
def _enter_inside(e, i, high, low, c, m, q, f, series):
    """An entry filled inside the bar: its stop counts for this bar too, its targets only if the close is at or beyond."""
    if not _fill_order(e, i, f[_price(e, m, q)], INSIDE, m, q, f, series):
        return
    side, n = q[m + S_SIDE], q[m + S_LOTS] - 1
    lot = _numbers(n, m, q)
    stop = f[lot + L_STOP]
    if low <= stop if side > 0 else high >= stop:
        _close_lot_apart(n, 100.0, i, stop, True, q[_lot(n, m, q) + L_KIND], INSIDE, 1, m, q, f, series)
        return
    while q[m + S_LOTS] == n + 1 and (c - f[lot + L_TARGET]) * side >= 0.0:
        _take_target(n, i, f[lot + L_TARGET], INSIDE, 0, m, q, f, series)


@_compiled
def _is_new(n, i, m, q):
    """Whether a lot was filled inside this bar, or this piece of it: its levels were looked at then."""
    return (
        q[_lot(n, m, q) + L_BAR] == i
        and q[_lot(n, m, q) + L_MOMENT] == INSIDE
        and q[_lot(n, m, q) + L_PIECE] == q[m + S_PIECE]
    )


@_compiled
def _profit_touched(n, high, low, m, q, f):
    """Whether a lot's target, or an exit at a limit that is for it, lies inside the bar too."""
    side = q[m + S_SIDE]
    target = f[_numbers(n, m, q) + L_TARGET]
    if high >= target if side > 0 else low <= target:
        return 1
    entries = q[H_ENTRIES]
    for order in range(entries, q[H_ORDERS]):
        if (
            q[_order(order, m, q) + O_ON]
            and not _is_stop_order(order, q)
            and low <= f[_price(order, m, q)] <= high
            and _is_for((order - entries) // 2, q[_lot(n, m, q) + L_RULE], q)
        ):
            return 1
    return 0


@_compiled
def _worst_inside(i, o, high, low, c, m, q, f, series):
    """The inside of a bar, or of a finer one of it, by the policy `worst`."""
    if q[m + S_SIDE] == 0:
        buy = _nearest_either_way(1, o, high, low, m, q, f)
        sell = _nearest_either_way(-1, o, high, low, m, q, f)
        chosen = buy if buy >= 0 else sell
        if buy >= 0 and sell >= 0 and f[_price(sell, m, q)] - c < c - f[_price(buy, m, q)]:
            chosen = sell
        while chosen >= 0:  # further entries of that side while there is room
            side = q[_entry(chosen, q) + E_SIDE]
            _enter_inside(chosen, i, high, low, c, m, q, f, series)
            chosen = _nearest_either_way(side, o, high, low, m, q, f)
        return
    # The side against the position comes first, on each side of the open what is nearest to it.
    position = q[m + S_SIDE]
    for against in (True, False):
        below = (position > 0) == against
        reached = 0.0
        while True:
            lot, nearest = -1, np.inf
            for n in range(q[m + S_LOTS]):
                level = f[_numbers(n, m, q) + (L_STOP if against else L_TARGET)]
                hit = low <= level if below else high >= level
                if hit and abs(level - o) < nearest and not _is_new(n, i, m, q):
                    lot, nearest = n, abs(level - o)
            order = _nearest_order(0, q[H_ENTRIES], below, reached, o, high, low, m, q, f)
            if order >= 0 and not abs(f[_price(order, m, q)] - o) < nearest:
                order = -1
            if order >= 0:
                nearest = abs(f[_price(order, m, q)] - o)
            entry = _nearest_order(0, 0, below, reached, o, high, low, m, q, f)
            if entry >= 0 and abs(f[_price(entry, m, q)] - o) < nearest:
                reached = abs(f[_price(entry, m, q)] - o)
                turns = q[_entry(entry, q) + E_SIDE] != q[m + S_SIDE]
                _enter_inside(entry, i, high, low, c, m, q, f, series)
                if turns:
                    return
            elif order >= 0:
                reached = nearest
                _fill_order(order, i, f[_price(order, m, q)], INSIDE, m, q, f, series)
            elif lot >= 0 and against:
                reached = nearest
                both = _profit_touched(lot, high, low, m, q, f)
                level = f[_numbers(lot, m, q) + L_STOP]
                _close_lot_apart(lot, 100.0, i, level, True, q[_lot(lot, m, q) + L_KIND], INSIDE, both, m, q, f, series)
            elif lot >= 0:
                reached = nearest
                _take_target(lot, i, f[_numbers(lot, m, q) + L_TARGET], INSIDE, 0, m, q, f, series)
            else:
                break
        if q[m + S_SIDE] != position:
            return


@_compiled
def _path_inside(i, o, high, low, c, m, q, f, series):
    """The bar's inside by the policy `path`: everything fills where price comes along, nearer extreme first."""
    high_first = abs(o - high) < abs(o - low) - f[m + F_TICK] / 1000.0
    at = o
    for leg in range(3):
        end = c if leg == 2 else (high if high_first == (leg == 0) else low)
        up = end >= at
        while True:
            side = q[m + S_SIDE]
            stop_ahead = (side < 0) == up
            nearest = np.inf
            order, lot = -1, -1
            for n in range(q[m + S_LOTS]):
                price = f[_numbers(n, m, q) + (L_STOP if stop_ahead else L_TARGET)]
                if ((at <= price <= end) if up else (end <= price <= at)) and abs(price - at) < nearest:
                    nearest, lot = abs(price - at), n
            for k in range(q[H_ORDERS]):  # exits first, then entries
                other = (k + q[H_ENTRIES]) % q[H_ORDERS]
                if not _may_fill(other, m, q) or _is_passed(other, o, m, q, f):
                    continue
                # Going up fills stops that buy and limits that sell, going down the others.
                meets = (_order_direction(other, q) > 0) == _is_stop_order(other, q)
                price = f[_price(other, m, q)]
                if meets == up and ((at <= price <= end) if up else (end <= price <= at)) and abs(price - at) < nearest:
                    nearest, order = abs(price - at), other
            if order < 0 and lot < 0:
                break
            if order >= 0:
                at = f[_price(order, m, q)]
                _fill_order(order, i, at, INSIDE, m, q, f, series)
            else:
                stop, target = f[_numbers(lot, m, q) + L_STOP], f[_numbers(lot, m, q) + L_TARGET]
                both = 1 if low <= stop <= high and low <= target <= high else 0
                at = stop if stop_ahead else target
                if stop_ahead:
                    _close_lot_apart(
                        lot, 100.0, i, at, True, q[_lot(lot, m, q) + L_KIND], INSIDE, both, m, q, f, series
                    )
                else:
                    _take_target(lot, i, at, INSIDE, both, m, q, f, series)
        at = end


@_inlined
def _is_met(i, m, q, f, series):
    """Whether bar i reaches any level or order at all."""
    high, low, side = series.highs[i], series.lows[i], q[m + S_SIDE]
    for n in range(q[m + S_LOTS]):
        lot = _numbers(n, m, q)
        nearest, furthest = (f[lot + L_STOP], f[lot + L_TARGET]) if side > 0 else (f[lot + L_TARGET], f[lot + L_STOP])
        if low <= nearest or high >= furthest:
            return True
    for order in range(q[H_ORDERS]):
        if q[_order(order, m, q) + O_ON]:
            # Limits that buy and stops that sell are met from above, the others from below.
            above = (_order_direction(order, q) > 0) != _is_stop_order(order, q)
            price = f[_price(order, m, q)]
            if low <= price if above else high >= price:
                return True
    return False


@_compiled
def _inside_in_full(i, m, q, f, series):
    """Levels and orders inside bar i, with its finer bars where the account asks for them and there are any."""
    q[m + S_PIECE] = 0
    first = end = 0
    if q[m + I_IN_DETAIL]:
        first, end = series.piece_starts[i], series.piece_starts[i + 1]
    if end - first > 1:
        for piece in range(first, end):
            q[m + S_PIECE] = piece - first
            o, c = series.pieces[0, piece], series.pieces[3, piece]
            _at_passed_levels(i, o, c, AT_OPEN if piece == first else INSIDE, m, q, f, series)
            _worst_inside(i, o, series.pieces[1, piece], series.pieces[2, piece], c, m, q, f, series)
        return
    o, high, low, c = series.opens[i], series.highs[i], series.lows[i], series.closes[i]
    _at_passed_levels(i, o, c, AT_OPEN, m, q, f, series)
    if q[m + I_PATH]:
        _path_inside(i, o, high, low, c, m, q, f, series)
    else:
        _worst_inside(i, o, high, low, c, m, q, f, series)


# --- rules that ask for the position --------------------------------------------------------------------------------


@_compiled
def _know_position(i, m, q, f, series):
    """What rules may know of the position at this close, into the first registers."""
    at = q[H_REGISTERS]
    side = q[m + S_SIDE]
    for name in range(POSITION_NAMES):
        f[at + name] = np.nan
    f[at + P_POSITION] = side
    if side == 0:
        return
    mid, lots = 0.0, q[m + S_LOTS]
    for n in range(lots):
        mid += f[_numbers(n, m, q) + L_MID]
    mid /= lots
    oldest = _numbers(0, m, q)
    percent = 100.0 * side / abs(mid) if mid != 0.0 else np.nan
    best, worst = (f[oldest + L_HIGH], f[oldest + L_LOW]) if side > 0 else (f[oldest + L_LOW], f[oldest + L_HIGH])
    entered = q[_lot(0, m, q) + L_BAR]
    stride = q[H_DAY_STRIDE]
    days = series.days[0, i * stride] - series.days[0, min(entered, i) * stride] + 1
    f[at + P_ENTRY_PRICE] = mid
    f[at + P_BARS_HELD] = i - entered + 1
    f[at + P_DAYS_HELD] = days
    f[at + P_OPEN_PROFIT] = (series.closes[i] - mid) * percent
    f[at + P_BEST_PROFIT] = (best - mid) * percent
    f[at + P_WORST_PROFIT] = (worst - mid) * percent
    f[at + P_STOP_PRICE] = f[oldest + L_STOP] if math.isfinite(f[oldest + L_STOP]) else np.nan
    f[at + P_TARGET_PRICE] = f[oldest + L_TARGET] if math.isfinite(f[oldest + L_TARGET]) else np.nan


@_compiled
def _evaluate(program, i, q, f, series):
    """The value of a program at bar i; the position must be known. Conditions are 0 no, 1 unknown, 2 yes.

    The steps are those of running values: plan.carries says what each does.
    """
    at = q[H_REGISTERS]
    first = q[_program(program, q) + W_COLUMN]
    for k in range(first, q[_program(program, q) + W_COLUMN_END]):
        f[at + 2 * POSITION_NAMES + k - first] = series.rows[k, i]
    for s in range(q[_program(program, q) + W_STEP], q[_program(program, q) + W_STEP_END]):
        here = q[H_STEPS] + 5 * s
        step = q[here]
        a = f[at + q[here + 2]]
        b = f[at + q[here + 3]]
        unknown = a != a or b != b
        if step == 0:
            value = a + b
        elif step == 1:
            value = a - b
        elif step == 2:
            value = a * b
        elif step == 3:
            value = a / b if b != 0.0 else np.nan
        elif step == 4:
            value = a**b
            value = value if np.isfinite(value) else np.nan
        elif step == 5:
            value = 1.0 if unknown else 2.0 * (a < b)
        elif step == 6:
            value = 1.0 if unknown else 2.0 * (a <= b)
        elif step == 7:
            value = 1.0 if unknown else 2.0 * (a == b)
        elif step == 8:
            value = 1.0 if unknown else 2.0 * (a != b)
        elif step == 9:
            value = min(a, b)
        elif step == 10:
            value = max(a, b)
        elif step == 11:
            value = 2.0 - a
        elif step == 12:
            value = np.nan if a == 1.0 else (b if a == 2.0 else f[at + q[here + 4]])
        elif step == 13:
            value = np.nan if unknown else min(a, b)
        elif step == 14:
            value = np.nan if unknown else max(a, b)
        elif step == 15:
            value = abs(a)
        elif step == 16:
            value = np.sign(a)
        elif step == 17:
            value = np.floor(a)
        elif step == 18:
            value = np.ceil(a)
        elif step == 19:
            value = np.copysign(np.floor(abs(a) + 0.5), a)
        elif step == 20:
            value = np.sqrt(a) if a >= 0.0 else np.nan
        elif step == 21:
            value = 2.0 * (a == a)
        else:
            value = a
        f[at + q[here + 1]] = value
    return f[at + POSITION_NAMES]


@_compiled
def _make_columns(when, i, m, q, f, series):
    """Columns that depend on the position, written for this close."""
    known = False
    for g in range(q[H_PROGRAMS]):
        if q[_program(g, q) + W_MADE] == when:
            if not known:
                _know_position(i, m, q, f, series)
                known = True
            series.rows[q[_program(g, q) + W_ROW], i] = _evaluate(g, i, q, f, series)


@_inlined
def _is_yes(row, program, i, flagged, q, f, series):
    """Whether a rule is yes at this close: by its program, its row of signals, or its side's flag."""
    if program >= 0:
        return _evaluate(program, i, q, f, series) == 2.0
    return series.signals[row, i] != 0 if row >= 0 else flagged


# --- one bar --------------------------------------------------------------------------------------------------------


@_inlined
def _simple_inside(i, m, q, f, series):
    """The inside of a bar for one lot with one target and no orders: at the open when it has passed a level, else there."""
    side = q[m + S_SIDE]
    o, high, low = series.opens[i], series.highs[i], series.lows[i]
    lot = _numbers(0, m, q)
    stop, target = f[lot + L_STOP], f[lot + L_TARGET]
    if side > 0:
        stop_gap, target_gap = o <= stop, o >= target
        stop_hit, target_hit = low <= stop, high >= target
    else:
        stop_gap, target_gap = o >= stop, o <= target
        stop_hit, target_hit = high >= stop, low <= target
    if not (stop_hit or target_hit):
        return
    mid, slips, reason, moment, both = o, True, q[_lot(0, m, q) + L_KIND], AT_OPEN, 0
    if not stop_gap and target_gap:
        slips, reason = False, BY_TARGET
    elif not stop_gap:
        moment = INSIDE
        both = 1 if stop_hit and target_hit else 0
        if both and q[m + I_PATH]:
            high_first = abs(o - high) < abs(o - low) - f[m + F_TICK] / 1000.0
            stop_hit = high_first if side < 0 else not high_first
        mid = stop if stop_hit else target
        if not stop_hit:
            slips, reason = False, BY_TARGET
    _close_lot(0, 100.0, i, mid, slips, reason, -1, moment, both, m, q, f, series)


@_inlined
def _open_bar(i, m, q, f, series):
    """The open: financing, forced exits, exits and entries that waited for it."""
    flag = series.flags[i]
    if (flag & NIGHT) != 0 and q[m + S_SIDE] != 0 and i > q[m + I_FIRST]:
        rate = f[m + F_FINANCING_LONG] if q[m + S_SIDE] > 0 else f[m + F_FINANCING_SHORT]
        nights = _at(NIGHTS, i, m, q, f, series)
        for n in range(q[m + S_LOTS]):
            lot = _numbers(n, m, q)
            f[lot + L_FINANCING] += (
                f[lot + L_UNITS] * series.closes[i - 1] * f[m + X_VALUE] * rate / 100.0 / 365.0 * nights
            )
        _settle(q, f)
    if (flag & FLAT_OPEN) == 0 and q[m + S_EXIT_DUE] < 0 and q[m + S_DUE] == 0 and q[m + S_WAITING] == 0:
        return
    o = series.opens[i]
    if (flag & FLAT_OPEN) != 0:
        q[m + S_EXIT_DUE] = BY_FLAT
        q[m + S_EXIT_RULE] = -1
        if q[m + S_WAITING] > 0:
            for e in range(q[H_ENTRIES]):
                if q[m + q[H_WAITING] + e] >= 0:
                    _skip(i, q[_entry(e, q) + E_SIDE], e, SKIP_FLAT, AT_OPEN, q, series)
                    q[m + q[H_WAITING] + e] = -1
            q[m + S_WAITING] = 0
        _end_orders(i, SKIP_FLAT, AT_OPEN, False, m, q, series)
    if q[m + S_EXIT_DUE] >= 0:
        _close_side(i, o, True, q[m + S_EXIT_DUE], q[m + S_EXIT_RULE], AT_OPEN, m, q, f, series)
        q[m + S_EXIT_DUE] = -1
    if q[m + S_DUE] > 0:
        for x in range(q[H_EXITS]):
            if q[m + q[H_DUE] + x]:
                q[m + S_DUE] -= 1
                q[m + q[H_DUE] + x] = 0
                _take_by_rule(x, i, o, True, AT_OPEN, m, q, f, series)
    if q[m + S_WAITING] > 0:
        for e in range(q[H_ENTRIES]):
            j = q[m + q[H_WAITING] + e]
            if j >= 0:
                q[m + q[H_WAITING] + e] = -1
                refused = _open_lot(e, j, i, o, AT_OPEN, True, m, q, f, series)
                if refused != 0:
                    _skip(i, q[_entry(e, q) + E_SIDE], e, refused, AT_OPEN, q, series)
        q[m + S_WAITING] = 0


@_compiled
def _end_orders(i, reason, moment, only_old, m, q, series):
    """Orders die: all of them, or those whose last bar this was; entries are told with the reason."""
    for order in range(q[H_ORDERS]):
        if q[_order(order, m, q) + O_ON] and (not only_old or q[_order(order, m, q) + O_UNTIL] <= i):
            q[_order(order, m, q) + O_ON] = 0
            if order < q[H_ENTRIES]:
                _skip(i, q[_entry(order, q) + E_SIDE], order, reason, moment, q, series)


@_inlined
def _mark(i, m, q, f, series):
    """At the close: best and worst price since the entry, open profit."""
    side = q[m + S_SIDE]
    c, high, low = series.closes[i], series.highs[i], series.lows[i]
    for n in range(q[m + S_LOTS]):
        lot = _numbers(n, m, q)
        inside = q[_lot(n, m, q) + L_BAR] == i and q[_lot(n, m, q) + L_MOMENT] == INSIDE
        # Filled inside this bar, its good extreme may have come before the fill: only the close is sure.
        f[lot + L_HIGH] = max(f[lot + L_HIGH], c if inside and side > 0 else high)
        f[lot + L_LOW] = min(f[lot + L_LOW], c if inside and side < 0 else low)
        f[lot + L_OPEN] = (c - f[lot + L_PAID]) * (f[lot + L_UNITS] * f[m + X_VALUE] * side)


@_inlined
def _time_is_up(i, m, q, series):
    """Whether a time exit is due, counted for the oldest lot: 0 no, 1 at the next open, 2 at this close."""
    which = 0 if q[m + S_SIDE] > 0 else 1
    entered = q[_lot(0, m, q) + L_BAR]
    held = i - entered + 1
    if 0 < q[m + I_CLOSE_AFTER_LONG + which] <= held:
        return 2
    if 0 < q[m + I_AFTER_LONG + which] <= held:
        return 1
    days, close_days = q[m + I_DAYS_LONG + which], q[m + I_CLOSE_DAYS_LONG + which]
    if days > 0 or close_days > 0:
        stride = q[H_DAY_STRIDE]
        first = series.days[0, entered * stride]
        if 0 < close_days <= series.days[0, i * stride] - first + 1 and series.days[2, i * stride] != 0:
            return 2
        passed = series.days[0, (i + 1) * stride] - first
        if 0 < close_days <= passed or 0 < days <= passed:
            return 1
    return 0


@_inlined
def _held_back(i, m, q, f, series):
    """Why limits or pauses let no entry be decided at the close of bar i; 0 when they do."""
    _begin_day(i, m, q, series)
    if (
        q[m + S_DAY_ENTRIES] >= f[q[H_LIMITS] + K_ENTRIES]
        or q[m + S_DAY_LOSSES] >= f[q[H_LIMITS] + K_LOSSES]
        or q[m + S_LOST_DAY] == q[m + S_DAY]
    ):
        return SKIP_LIMIT
    return SKIP_PAUSE if i < q[m + S_PAUSED_UNTIL] else 0


@_inlined
def _judge_exits(i, m, q, f, series):
    """Exit rules at the close; the side that a rule exits, whose entries then do not happen, or 0."""
    side = q[m + S_SIDE]
    flagged = (series.flags[i] & (EXIT_LONG if side > 0 else EXIT_SHORT)) != 0
    mask = 1 if side > 0 else 2
    due, rule, at_close, left = -1, -1, False, 0
    for x in range(q[H_EXITS]):
        if (q[_exit(x, q) + X_SIDES] & mask) == 0 or q[_exit(x, q) + X_FORM] >= AT_LIMIT:
            continue
        if not _is_yes(q[_exit(x, q) + X_ROW], q[_exit(x, q) + X_PROGRAM], i, flagged, q, f, series):
            continue
        left = side
        if q[_exit(x, q) + X_WHOLE]:
            due, rule = BY_RULE, x
            at_close = q[_exit(x, q) + X_FORM] == AT_THIS_CLOSE
            break
        if q[_exit(x, q) + X_FORM] == AT_THIS_CLOSE:
            q[m + q[H_DUE] + x] = 2
        else:
            q[m + q[H_DUE] + x] = 1
        q[m + S_DUE] += 1
    if due < 0:
        time = _time_is_up(i, m, q, series)
        if time > 0:
            due, at_close, left = BY_TIME, time == 2, side
    if due >= 0 and at_close:
        _close_side_apart(i, series.closes[i], True, due, rule, AT_CLOSE, m, q, f, series)
    elif due >= 0:
        q[m + S_EXIT_DUE] = due
        q[m + S_EXIT_RULE] = rule
    if q[m + S_DUE] > 0:
        for x in range(q[H_EXITS]):
            if q[m + q[H_DUE] + x] == 2:
                q[m + q[H_DUE] + x] = 0
                q[m + S_DUE] -= 1
                _take_by_rule(x, i, series.closes[i], True, AT_CLOSE, m, q, f, series)
    return left


@_compiled
def _rest_exits(i, m, q, f, series):
    """Exits at a limit or a stop, judged yes, rest from the next bar on; a new one replaces its elder."""
    side = q[m + S_SIDE]
    entries = q[H_ENTRIES]
    middle = 0.0
    for n in range(q[m + S_LOTS]):
        middle += f[_numbers(n, m, q) + L_MID] / q[m + S_LOTS]
    for x in range(q[H_EXITS]):
        if q[_exit(x, q) + X_FORM] < AT_LIMIT or (q[_exit(x, q) + X_SIDES] & (1 if side > 0 else 2)) == 0:
            continue
        if not _is_yes(q[_exit(x, q) + X_ROW], q[_exit(x, q) + X_PROGRAM], i, False, q, f, series):
            continue
        concerned = False
        for n in range(q[m + S_LOTS]):
            concerned = concerned or _is_for(x, q[_lot(n, m, q) + L_RULE], q)
        price = _at(OF_RULES + PER_RULE * entries + x, i, m, q, f, series)
        if not concerned or price != price:
            continue
        if q[m + I_INVERTED]:
            price = 2.0 * middle - price
        order = entries + 2 * x + (0 if side > 0 else 1)
        q[_order(order, m, q) + O_ON] = 1
        q[_order(order, m, q) + O_UNTIL] = i + q[_exit(x, q) + X_LIFE]
        q[_order(order, m, q) + O_BAR] = i
        f[_price(order, m, q)] = _rounded(price, f[m + F_TICK], q[m + I_TICKS_IN_ONE])


@_inlined
def _order_entries(i, side, only_resting, m, q, f, series):
    """Give the orders of a side's entry rules that are yes: at this close, at the next open, or resting."""
    flagged = (series.flags[i] & (ENTER_LONG if side > 0 else ENTER_SHORT)) != 0
    room = q[m + I_ROOM] - (q[m + S_LOTS] if q[m + S_SIDE] == side else 0)
    if only_resting:
        room = 0
    for e in range(q[H_ENTRIES]):
        form = q[_entry(e, q) + E_FORM]
        if q[_entry(e, q) + E_SIDE] != side:
            continue
        if not _is_yes(q[_entry(e, q) + E_ROW], q[_entry(e, q) + E_PROGRAM], i, flagged, q, f, series):
            continue
        if form >= AT_LIMIT:
            price = _at(OF_RULES + PER_RULE * e + PRICE, i, m, q, f, series)
            if price != price:
                _skip(i, side, e, SKIP_UNKNOWN, AT_CLOSE, q, series)
                continue
            q[_order(e, m, q) + O_ON] = 1
            q[_order(e, m, q) + O_UNTIL] = i + q[_entry(e, q) + E_LIFE]
            q[_order(e, m, q) + O_BAR] = i
            f[_price(e, m, q)] = _rounded(price, f[m + F_TICK], q[m + I_TICKS_IN_ONE])
        elif room > 0 and form == AT_MARKET:
            q[m + q[H_WAITING] + e] = i
            q[m + S_WAITING] += 1
            room -= 1
        elif room > 0 and q[m + S_SIDE] != -side and _enter(e, i, i, series.closes[i], AT_CLOSE, True, m, q, f, series):
            room -= 1


@_inlined
def _first_market_rule(i, side, q, f, series):
    """The first entry rule of a side that is yes and does not rest; -1 for none."""
    flagged = (series.flags[i] & (ENTER_LONG if side > 0 else ENTER_SHORT)) != 0
    for e in range(q[H_ENTRIES]):
        if (
            q[_entry(e, q) + E_SIDE] == side
            and q[_entry(e, q) + E_FORM] < AT_LIMIT
            and _is_yes(q[_entry(e, q) + E_ROW], q[_entry(e, q) + E_PROGRAM], i, flagged, q, f, series)
        ):
            return e
    return -1


@_compiled
def _asked_entries(i, q, f, series):
    """Sides, 1 long and 2 short, of entry rules that ask for the position and are yes."""
    flag = series.flags[i]
    found = 0
    for e in range(q[H_ENTRIES]):
        side = q[_entry(e, q) + E_SIDE]
        program = q[_entry(e, q) + E_PROGRAM]
        leaves = (flag & (EXIT_LONG if side > 0 else EXIT_SHORT)) != 0
        if program >= 0 and not leaves and _evaluate(program, i, q, f, series) == 2.0:
            found |= 1 if side > 0 else 2
    return found


@_inlined
def _judge(i, now, m, q, f, series):
    """The rules, on closed values: exits, then entries; an entry of a side that exits does not happen."""
    flag = series.flags[i]
    side = q[m + S_SIDE]
    asks = q[H_PROGRAMS] > 0 and (side != 0 or q[H_ASKS_FLAT] != 0)
    if asks and q[H_MADE] & 1:
        _make_columns(MADE_BEFORE_LEVELS, i, m, q, f, series)
    if side != 0 and q[m + I_MOVING]:
        _move_levels(i, m, q, f, series)
    if asks:
        if q[H_MADE] & 2:
            _make_columns(MADE_BEFORE_EXITS, i, m, q, f, series)
        _know_position(i, m, q, f, series)
        for name in range(POSITION_NAMES):  # kept for whoever asks what the exits saw
            f[q[H_KNOWN] + name] = f[q[H_REGISTERS] + name]
    if q[m + I_LIMITED]:
        begins = series.days[1, i * q[H_DAY_STRIDE]]
        before = series.equity[begins - 1] if begins > q[m + I_FIRST] else f[m + F_CAPITAL]
        if f[q[H_LIMITS] + K_LOSS] < np.inf and now <= before * (1.0 - f[q[H_LIMITS] + K_LOSS] / 100.0):
            q[m + S_LOST_DAY] = begins
    left = 0
    if side != 0:
        left = _judge_exits(i, m, q, f, series)
        side = q[m + S_SIDE]
    wants = flag & 3
    if asks and q[H_ASKS_FLAT]:
        if q[H_MADE] & 4:
            _make_columns(MADE_BEFORE_ENTRIES, i, m, q, f, series)
        _know_position(i, m, q, f, series)
        wants |= _asked_entries(i, q, f, series)
    wants_long, wants_short = (wants & ENTER_LONG) != 0 and left <= 0, (wants & ENTER_SHORT) != 0 and left >= 0
    blocked = 0
    if wants_long or wants_short:
        blocked = series.blocks[i] if (flag & BLOCKED) != 0 else 0
        if blocked == 0 and q[m + I_LIMITED]:
            blocked = _held_back(i, m, q, f, series)
    if q[H_ORDERS] > 0:
        _end_orders(i, SKIP_EXPIRED, AT_CLOSE, True, m, q, series)
        if side != 0:
            _rest_exits(i, m, q, f, series)
    if not (wants_long or wants_short):
        return
    entering, only_resting = 0, False
    if side != 0:
        opposite = q[m + I_OPPOSITE]
        turns = wants_short if side > 0 else wants_long
        adds = (wants_long if side > 0 else wants_short) and q[m + S_LOTS] < q[m + I_ROOM]
        if turns and opposite != 2:
            if blocked != 0:
                if opposite == 0:
                    _skip(i, -side, -1, blocked, AT_CLOSE, q, series)
            else:
                rule = _first_market_rule(i, -side, q, f, series)
                entering = -side
                if rule >= 0 and q[_entry(rule, q) + E_FORM] == AT_THIS_CLOSE:
                    _close_side_apart(i, series.closes[i], True, BY_REVERSE, -1, AT_CLOSE, m, q, f, series)
                elif rule >= 0 and q[m + S_EXIT_DUE] < 0:
                    q[m + S_EXIT_DUE] = BY_REVERSE
                    q[m + S_EXIT_RULE] = -1
                only_resting = opposite != 0
        elif adds:
            if blocked != 0:
                _skip(i, side, -1, blocked, AT_CLOSE, q, series)
            else:
                entering = side
    elif blocked != 0 or (wants_long and wants_short):
        reason = blocked if blocked != 0 else SKIP_BOTH
        if wants_long:
            _skip(i, 1, -1, reason, AT_CLOSE, q, series)
        if wants_short:
            _skip(i, -1, -1, reason, AT_CLOSE, q, series)
    else:
        entering = 1 if wants_long else -1
    if entering != 0:
        _order_entries(i, entering, only_resting, m, q, f, series)


# --- all bars -------------------------------------------------------------------------------------------------------


@_compiled
def _is_resting(m, q):
    """Whether any order rests."""
    on = 0
    for order in range(q[H_ORDERS]):
        on += q[_order(order, m, q) + O_ON]
    return on > 0


@_inlined
def _is_watchful(m, q):
    """Whether every bar of a position is looked at: levels move, limits count, days or closes end it, rates change."""
    watchful = q[m + I_MOVING] != 0 or q[m + I_LIMITED] != 0 or q[H_PROGRAMS] > 0
    watchful = watchful or q[H_ORDERS] > 0 or q[q[H_SLOTS] + RATE] >= 0
    for place in range(I_CLOSE_AFTER_LONG, I_CLOSE_DAYS_SHORT + 1):
        watchful = watchful or q[m + place] > 0
    return watchful


@_inlined
def _pass_quiet_bars(i, last, watchful, m, q, f, series):
    """The first bar from i on where something may happen in the one market there is; writes the equity before it."""
    equity, flags = series.equity, series.flags
    if q[m + S_WAITING] > 0 or q[m + S_EXIT_DUE] >= 0 or q[m + S_DUE] > 0:
        return i
    side = q[m + S_SIDE]
    cash = f[A_CASH]
    if side == 0:
        asks = q[H_ASKS_FLAT] != 0
        if cash > 0.0 and not asks and not (q[H_ORDERS] > 0 and _is_resting(m, q)):
            while i < last and (flags[i] & 3) == 0:
                equity[i] = cash
                i += 1
        return i
    if watchful or q[m + S_LOTS] > 1:
        return i
    highs, lows, closes = series.highs, series.lows, series.closes
    lot = _numbers(0, m, q)
    after = q[m + I_AFTER_LONG] if side > 0 else q[m + I_AFTER_SHORT]
    bound = last
    if after > 0:
        bound = min(bound, q[_lot(0, m, q) + L_BAR] + after - 1)
    stop, target, price = f[lot + L_STOP], f[lot + L_TARGET], f[lot + L_PAID]
    scale = f[lot + L_UNITS] * f[m + X_VALUE] * side
    ruin = f[m + F_STOP_OUT] * f[lot + L_MARGIN]
    top, bottom = f[lot + L_HIGH], f[lot + L_LOW]
    adds = q[m + I_ROOM] > 1
    turns = q[m + I_OPPOSITE] != 2
    always = FLAT_OPEN | FLAT_CLOSE | NIGHT
    if side > 0:
        mask = EXIT_LONG | always | (ENTER_SHORT if turns else 0) | (ENTER_LONG if adds else 0)
        while i < bound:
            low = lows[i]
            high = highs[i]
            if (flags[i] & mask) != 0 or low <= stop or high >= target:
                break
            now = cash + (closes[i] - price) * scale
            if now <= ruin:
                break
            equity[i] = now
            top = max(top, high)
            bottom = min(bottom, low)
            i += 1
    else:
        mask = EXIT_SHORT | always | (ENTER_LONG if turns else 0) | (ENTER_SHORT if adds else 0)
        while i < bound:
            low = lows[i]
            high = highs[i]
            if (flags[i] & mask) != 0 or high >= stop or low <= target:
                break
            now = cash + (closes[i] - price) * scale
            if now <= ruin:
                break
            equity[i] = now
            top = max(top, high)
            bottom = min(bottom, low)
            i += 1
    f[lot + L_HIGH] = top
    f[lot + L_LOW] = bottom
    if i > 0:
        f[lot + L_OPEN] = (closes[i - 1] - price) * scale
    return i


@_inlined
def _bar_at(place, alone, series):
    """The bar at a place of a moment."""
    return place if alone else series.order[place]


@_inlined
def _block_of(i, base, alone, series):
    """Where the block of bar i's market begins."""
    return base if alone else series.bases[i]


@_inlined
def _bars_of(moment, alone, series):
    """Begin and end of a moment's bars, in `series.order` where there are several markets."""
    if alone:
        return moment, moment + 1
    return np.int64(0) if moment == 0 else series.ends[moment - 1], series.ends[moment]


@njit(cache=True, nogil=True, _nrt=False, error_model="numpy")
def simulate(until, last, most_events, q, f, series):
    """Run from the account's moment to the one before `until`, or to the last; returns the next moment to run.

    `most_events` : the most trades, and the most skipped orders, that one moment can bring. When the ledger may not
    hold one moment's events the kernel returns early with its state saved. `series.equity`, float64 (n,), is written
    at every bar run. For one market moments are bar numbers; the state must have been laid out by engine.memory.
    """
    equity = series.equity
    markets = q[H_MARKETS]
    alone = markets == 1
    base = _base(0, q)
    watchful = _is_watchful(base, q)
    in_full = q[H_ORDERS] > 0 or q[base + I_ROOM] > 1 or q[H_PARTS] > 0 or q[base + I_IN_DETAIL] != 0
    stop_out = f[base + F_STOP_OUT]
    moment = q[A_MOMENT]
    end = min(until, last + 1)
    while moment < end:
        if q[A_RUINED]:
            begin, stop = _bars_of(moment, alone, series)
            for place in range(begin, stop):
                equity[_bar_at(place, alone, series)] = f[A_CASH]
            moment += 1
            continue
        if alone:
            moment = _pass_quiet_bars(moment, min(last, end), watchful, base, q, f, series)
            if moment >= end:
                break
        if q[A_TRADES] + most_events > series.ti.shape[0] or q[A_SKIPS] + most_events > series.skips.shape[0]:
            break
        begin, stop = _bars_of(moment, alone, series)

        # 1. Opens of all markets. 2. The bars' insides.
        for place in range(begin, stop):
            i = _bar_at(place, alone, series)
            m = _block_of(i, base, alone, series)
            q[m + S_BAR] = i
            rate_bar = max(i - 1, q[m + I_FIRST])
            f[m + X_VALUE] = f[m + F_VALUE] * _at(RATE, rate_bar, m, q, f, series)
            _open_bar(i, m, q, f, series)
        for place in range(begin, stop):
            i = _bar_at(place, alone, series)
            m = _block_of(i, base, alone, series)
            if in_full:
                if _is_met(i, m, q, f, series):
                    _inside_in_full(i, m, q, f, series)
            elif q[m + S_SIDE] != 0:
                _simple_inside(i, m, q, f, series)

        # 3. Closes: excursions, equity, ruin, forced exits.
        for place in range(begin, stop):
            i = _bar_at(place, alone, series)
            m = _block_of(i, base, alone, series)
            f[m + X_VALUE] = f[m + F_VALUE] * _at(RATE, i, m, q, f, series)
            _mark(i, m, q, f, series)
        if f[A_CASH] + _sum_over_lots(L_OPEN, q, f) <= stop_out * _sum_over_lots(L_MARGIN, q, f):
            q[A_RUINED] = 1
            for k in range(markets):
                m = _base(k, q)
                i = q[m + S_BAR]
                _close_side_apart(i, series.closes[i], True, BY_RUIN, -1, AT_CLOSE, m, q, f, series)
            for place in range(begin, stop):
                equity[_bar_at(place, alone, series)] = f[A_CASH]
            moment += 1
            continue
        for place in range(begin, stop):
            i = _bar_at(place, alone, series)
            flat = (series.flags[i] & FLAT_CLOSE) != 0
            if flat or i == q[_block_of(i, base, alone, series) + I_LAST]:
                m = _block_of(i, base, alone, series)
                if flat:
                    _end_orders(i, SKIP_FLAT, AT_CLOSE, False, m, q, series)
                reason = BY_FLAT if flat else BY_END
                _close_side_apart(i, series.closes[i], True, reason, -1, AT_CLOSE, m, q, f, series)
        now = f[A_CASH] + _sum_over_lots(L_OPEN, q, f)
        for place in range(begin, stop):
            equity[_bar_at(place, alone, series)] = now

        # 4. The rules of all markets.
        for place in range(begin, stop):
            i = _bar_at(place, alone, series)
            m = _block_of(i, base, alone, series)
            if i != q[m + I_LAST]:
                _judge(i, now, m, q, f, series)
        moment += 1
    q[A_MOMENT] = moment
    return moment
