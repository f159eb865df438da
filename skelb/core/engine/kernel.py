# mypy: disable-error-code="no-untyped-def"
"""The compiled simulation: one pass over the bars, in the order the engine page gives.

Everything the compiler inlines lives in this file: its on-disk cache notices edits only here. The kernel is
resumable: it takes its state in two arrays, and when the ledger is full it returns the bar it stopped at, to be
called again with larger columns.

Quiet stretches (nothing can happen until a flag, a touched level or a time limit) run in three tight loops; any
bar on which something may happen goes through one slow path.
"""

import math

import numpy as np
from numba import njit

# Bits of `flags`, as in plan.columns.Flag.
ENTER_LONG, ENTER_SHORT, EXIT_LONG, EXIT_SHORT, BLOCKED, FLAT_OPEN, FLAT_CLOSE, NIGHT = 1, 2, 4, 8, 16, 32, 64, 128

# Columns of one side, as in plan.columns.Column; then the shared ones.
(
    STOP_PRICE, STOP_PERCENT, STOP_AT, TARGET_PRICE, TARGET_PERCENT, TARGET_R, TARGET_AT, SIZE, MOST, TRAIL, TRAIL_ONCE,
    TRAIL_AT, EVEN_ONCE, EVEN_PLUS,
) = range(14)  # fmt: skip
PER_SIDE, SPREAD, NIGHTS = 14, 28, 29

# Units of the distances TRAIL, TRAIL_ONCE, EVEN_ONCE, EVEN_PLUS, in this order in `units`, one row a side.
IN_PRICE, IN_PERCENT, IN_R = range(3)
U_TRAIL, U_TRAIL_ONCE, U_EVEN_ONCE, U_EVEN_PLUS = range(4)

# How a rule's order is given, as in plan.columns.OrderForm.
AT_MARKET, AT_THIS_CLOSE = range(2)

# Resting orders: what is known of each rule that rests, and the state of its order.
R_RULE, R_SIDE, R_IS_STOP, R_LIFE = range(4)
O_ON, O_UNTIL, O_BAR = range(3)
ROW_PRICE, ROW_SIZE, ROW_MOST = range(3)  # planes of `rest_rows`

# Exit rules that ask for the position: plan.watching's columns, and the registers of the position's values.
W_RULE, W_SIDES, W_STEP, W_STEP_END, W_COLUMN, W_COLUMN_END = range(6)
(
    P_ENTRY_PRICE, P_BARS_HELD, P_DAYS_HELD, P_OPEN_PROFIT, P_BEST_PROFIT, P_WORST_PROFIT, P_POSITION, P_STOP_PRICE,
    P_TARGET_PRICE,
) = range(9)  # fmt: skip
POSITION_NAMES = 9
NO_RULE = 255  # no market rule is yes on the bar

# Limits: entries and losses a day, percent of loss a day, bars of pause after a stop, a loss, any exit.
L_ENTRIES, L_LOSSES, L_LOSS, L_AFTER_STOP, L_AFTER_LOSS, L_AFTER_EXIT = range(6)

# Reasons of exits; a rule's exit carries the rule's number besides.
BY_RULE, BY_STOP, BY_TARGET, BY_TIME, BY_FLAT, BY_REVERSE, BY_RUIN, BY_END, BY_TRAIL, BY_EVEN = range(10)

# Why an order did not become a trade.
(
    SKIP_WINDOW, SKIP_FLAT, SKIP_MARGIN, SKIP_BEYOND_STOP, SKIP_BEYOND_TARGET, SKIP_UNKNOWN, SKIP_BOTH, SKIP_LOT,
    SKIP_LIMIT, SKIP_PAUSE, SKIP_EXPIRED,
) = range(1, 12)  # fmt: skip

# Moments inside a bar.
AT_OPEN, INSIDE, AT_CLOSE = range(3)

# Settings: whole numbers.
(
    I_FIRST, I_LAST, I_PATH, I_SKIP_SHORT, I_OPPOSITE, I_AFTER_LONG, I_AFTER_SHORT, I_BID, I_SPREAD_PERCENT, I_TICKS_IN_ONE,
    I_INVERTED, I_CLOSE_AFTER_LONG, I_CLOSE_AFTER_SHORT, I_DAYS_LONG, I_DAYS_SHORT, I_CLOSE_DAYS_LONG, I_CLOSE_DAYS_SHORT,
    I_MOVING, I_LIMITED,
) = range(19)  # fmt: skip
# Settings: numbers.
(
    F_TICK, F_VALUE, F_STEP, F_MIN_LOT, F_SLIPPAGE, F_FEE_PERCENT, F_FEE_UNIT, F_FEE_ORDER, F_FEE_MINIMUM,
    F_LEVERAGE, F_STOP_OUT, F_FINANCING_LONG, F_FINANCING_SHORT, F_CAPITAL,
) = range(14)  # fmt: skip

# State: whole numbers.
(
    S_BAR, S_SIDE, S_ENTRY_BAR, S_ENTRY_RULE, S_PENDING_SIDE, S_PENDING_RULE, S_PENDING_BAR, S_EXIT_DUE, S_EXIT_RULE,
    S_RUINED, S_TRADES, S_SKIPS, S_CUTS, S_STOP_KIND, S_LOST_DAY, S_ENTRY_MOMENT,
) = range(16)  # fmt: skip
# State: numbers.
(
    X_CASH, X_BEFORE, X_UNITS, X_MID, X_PRICE, X_STOP, X_TARGET, X_R, X_HIGH, X_LOW, X_FEE, X_SPREAD, X_SLIPPAGE,
    X_FINANCING, X_MARGIN, X_FIRST_STOP, X_TRAIL, X_TRAIL_ONCE, X_EVEN_ONCE, X_EVEN_PLUS,
) = range(20)  # fmt: skip

# Trade columns.
(
    TI_SIDE, TI_ENTRY_BAR, TI_EXIT_BAR, TI_ENTRY_RULE, TI_REASON, TI_EXIT_RULE, TI_MOMENT, TI_AMBIGUOUS, TI_ENTRY_MOMENT,
) = range(9)  # fmt: skip
(
    TF_UNITS, TF_ENTRY_MID, TF_EXIT_MID, TF_ENTRY_PRICE, TF_EXIT_PRICE, TF_GROSS, TF_COMMISSION, TF_SPREAD,
    TF_SLIPPAGE, TF_FINANCING, TF_NET, TF_R, TF_BEST, TF_WORST, TF_STOP, TF_TARGET, TF_EQUITY, TF_RISK,
) = range(18)  # fmt: skip
TRADE_INTS, TRADE_FLOATS, SKIP_INTS = 9, 18, 4
STATE_INTS, STATE_FLOATS, SETTING_INTS, SETTING_FLOATS = 16, 20, 19, 14


@njit(nogil=True, error_model="numpy", forceinline=True)
def _rounded(x, tick, ticks_in_one):
    """A level on the tick grid; infinite and unknown levels pass through."""
    if not math.isfinite(x):
        return x
    k = math.floor(abs(x) / tick + 0.5 + 1e-9)
    level = k / ticks_in_one if ticks_in_one > 0 else k * tick
    return level if x >= 0.0 else -level


@njit(nogil=True, error_model="numpy", forceinline=True)
def _at(column, i, levels):
    """A column's value at bar i."""
    rows, slots, constants = levels
    row = slots[column]
    return rows[row, i] if row >= 0 else constants[column]


@njit(nogil=True, error_model="numpy", forceinline=True)
def _spread_at(levels, i, mid, settings_i):
    spread = _at(SPREAD, i, levels)
    if spread != spread:
        spread = 0.0
    return mid * spread / 100.0 if settings_i[I_SPREAD_PERCENT] else spread


@njit(nogil=True, error_model="numpy", forceinline=True)
def _paid_spread(direction, spread, bid):
    """Distance from mid to the fill that the spread costs: half of it, or all or none on bid prices."""
    if bid:
        return spread if direction > 0 else 0.0
    return spread / 2.0


@njit(nogil=True, error_model="numpy", forceinline=True)
def _fee(units, price, settings_f):
    fee = (
        settings_f[F_FEE_PERCENT] / 100.0 * (units * price * settings_f[F_VALUE])
        + settings_f[F_FEE_UNIT] * units
        + settings_f[F_FEE_ORDER]
    )
    return max(fee, settings_f[F_FEE_MINIMUM])


@njit(nogil=True, error_model="numpy", forceinline=True)
def _close_position(i, mid, slips, reason, rule, moment, ambiguous, world):
    """Write the trade and settle the cash: the cash before the entry plus the trade's net."""
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    side = si[S_SIDE]
    units = sf[X_UNITS]
    value = settings_f[F_VALUE]
    spread = _paid_spread(-side, _spread_at(levels, i, mid, settings_i), settings_i[I_BID])
    slippage = settings_f[F_SLIPPAGE] if slips else 0.0
    price = mid - side * (spread + slippage)
    commission = sf[X_FEE] + _fee(units, price, settings_f)
    spread_cost = sf[X_SPREAD] + spread * units * value
    slippage_cost = sf[X_SLIPPAGE] + slippage * units * value
    gross = (mid - sf[X_MID]) * side * units * value
    net = gross - commission - spread_cost - slippage_cost - sf[X_FINANCING]
    sf[X_CASH] = sf[X_BEFORE] + net
    # A level or the open ends the life of the trade, so the rest of that bar is not part of its excursions.
    high, low = max(sf[X_HIGH], mid), min(sf[X_LOW], mid)
    t = si[S_TRADES]
    ti[t, TI_SIDE] = side
    ti[t, TI_ENTRY_BAR] = si[S_ENTRY_BAR]
    ti[t, TI_EXIT_BAR] = i
    ti[t, TI_ENTRY_RULE] = si[S_ENTRY_RULE]
    ti[t, TI_REASON] = reason
    ti[t, TI_EXIT_RULE] = rule
    ti[t, TI_MOMENT] = moment
    ti[t, TI_AMBIGUOUS] = ambiguous
    ti[t, TI_ENTRY_MOMENT] = si[S_ENTRY_MOMENT]
    tf[t, TF_UNITS] = units
    tf[t, TF_ENTRY_MID] = sf[X_MID]
    tf[t, TF_EXIT_MID] = mid
    tf[t, TF_ENTRY_PRICE] = sf[X_PRICE]
    tf[t, TF_EXIT_PRICE] = price
    tf[t, TF_GROSS] = gross
    tf[t, TF_COMMISSION] = commission
    tf[t, TF_SPREAD] = spread_cost
    tf[t, TF_SLIPPAGE] = slippage_cost
    tf[t, TF_FINANCING] = sf[X_FINANCING]
    tf[t, TF_NET] = net
    risk = sf[X_R] * units * value
    tf[t, TF_RISK] = sf[X_R]
    tf[t, TF_R] = net / risk if risk > 0.0 else np.nan
    best, worst = (high, low) if side > 0 else (low, high)
    tf[t, TF_BEST] = (best - sf[X_MID]) * side * units * value
    tf[t, TF_WORST] = (worst - sf[X_MID]) * side * units * value
    tf[t, TF_STOP] = sf[X_FIRST_STOP] if math.isfinite(sf[X_FIRST_STOP]) else np.nan
    tf[t, TF_TARGET] = sf[X_TARGET] if math.isfinite(sf[X_TARGET]) else np.nan
    tf[t, TF_EQUITY] = sf[X_CASH]
    si[S_TRADES] = t + 1
    si[S_SIDE] = 0
    si[S_EXIT_DUE] = -1


@njit(nogil=True, error_model="numpy", forceinline=True)
def _percent_of(mid, percent):
    """A percentage of a price as a distance, which is positive for negative prices too; infinite without the rule."""
    return abs(mid) * percent / 100.0 if percent < np.inf or percent != percent else np.inf


@njit(nogil=True, error_model="numpy")
def _distance(kind, j, base, mid, risk, levels, units):
    """A moving level's distance in price units, as it was when the entry was judged; infinite without the rule."""
    column = base + (
        TRAIL
        if kind == U_TRAIL
        else TRAIL_ONCE
        if kind == U_TRAIL_ONCE
        else EVEN_ONCE
        if kind == U_EVEN_ONCE
        else EVEN_PLUS
    )
    amount = _at(column, j, levels)
    unit = units[0 if base == 0 else 1, kind]
    return amount if unit == IN_PRICE else _percent_of(mid, amount) if unit == IN_PERCENT else amount * risk


@njit(nogil=True, error_model="numpy")
def _move_levels(i, levels, settings_i, settings_f, si, sf):
    """After a bar's extremes are known: the trailing and break-even levels for the next bar; they only tighten."""
    side = si[S_SIDE]
    base = 0 if side > 0 else PER_SIDE
    tick, ones = settings_f[F_TICK], settings_i[I_TICKS_IN_ONE]
    best = sf[X_HIGH] if side > 0 else sf[X_LOW]
    moved = (best - sf[X_MID]) * side
    if sf[X_TRAIL] < np.inf and moved >= sf[X_TRAIL_ONCE]:
        level = _rounded(best - side * sf[X_TRAIL], tick, ones)
        if (level - sf[X_STOP]) * side > 0.0:
            sf[X_STOP] = level
            si[S_STOP_KIND] = BY_TRAIL
    at = _at(base + TRAIL_AT, i, levels)
    if math.isfinite(at):
        if settings_i[I_INVERTED]:
            at = 2.0 * sf[X_MID] - at
        level = _rounded(at, tick, ones)
        if (level - sf[X_STOP]) * side > 0.0:
            sf[X_STOP] = level
            si[S_STOP_KIND] = BY_TRAIL
    if moved >= sf[X_EVEN_ONCE]:
        level = _rounded(sf[X_MID] + side * sf[X_EVEN_PLUS], tick, ones)
        if (level - sf[X_STOP]) * side > 0.0:
            sf[X_STOP] = level
            si[S_STOP_KIND] = BY_EVEN


@njit(nogil=True, error_model="numpy")
def _held_back(i, day_start, day_stride, limits, si, ti, tf):
    """Why limits or pauses let no entry be decided at the close of bar i; 0 when they do."""
    begins = day_start[i * day_stride]
    entries = losses = 0.0
    pause = 0
    if si[S_SIDE] != 0 and si[S_ENTRY_BAR] - (si[S_ENTRY_MOMENT] == AT_CLOSE) >= begins:
        entries += 1.0
    furthest = max(limits[L_AFTER_STOP], limits[L_AFTER_LOSS], limits[L_AFTER_EXIT])
    for t in range(si[S_TRADES] - 1, -1, -1):
        ended = ti[t, TI_EXIT_BAR]
        if ended < begins and i - ended >= furthest:
            break
        if ti[t, TI_ENTRY_BAR] - (ti[t, TI_ENTRY_MOMENT] == AT_CLOSE) >= begins:
            entries += 1.0
        if ended >= begins and tf[t, TF_NET] < 0.0:
            losses += 1.0
        reason = ti[t, TI_REASON]
        since = i - ended
        stopped = reason in (BY_STOP, BY_TRAIL, BY_EVEN)
        if (
            since < limits[L_AFTER_EXIT]
            or (stopped and since < limits[L_AFTER_STOP])
            or (tf[t, TF_NET] < 0.0 and since < limits[L_AFTER_LOSS])
        ):
            pause = SKIP_PAUSE
    if entries >= limits[L_ENTRIES] or losses >= limits[L_LOSSES] or si[S_LOST_DAY] == begins:
        return SKIP_LIMIT
    return pause


@njit(nogil=True, error_model="numpy", forceinline=True)
def _open_position(i, mid, moment, slips, amount, most, world):
    """Fill the waiting entry at `mid`; 0 when it filled, else why it did not."""
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    side = si[S_PENDING_SIDE]
    rule = si[S_PENDING_RULE]
    j = si[S_PENDING_BAR]
    base = 0 if side > 0 else PER_SIDE
    tick = settings_f[F_TICK]
    ones = settings_i[I_TICKS_IN_ONE]
    value = settings_f[F_VALUE]
    stop_price = _at(base + STOP_PRICE, j, levels)
    stop_percent = _at(base + STOP_PERCENT, j, levels)
    stop_at = _at(base + STOP_AT, j, levels)
    target_price = _at(base + TARGET_PRICE, j, levels)
    target_percent = _at(base + TARGET_PERCENT, j, levels)
    target_r = _at(base + TARGET_R, j, levels)
    target_at = _at(base + TARGET_AT, j, levels)
    if settings_i[I_INVERTED]:  # prices are those of the other side: mirrored about the fill
        stop_at = 2.0 * mid - stop_at
        target_at = 2.0 * mid - target_at
    total = stop_price + stop_percent + target_price + target_percent + target_r
    if total != total or stop_at != stop_at or target_at != target_at:
        return SKIP_UNKNOWN
    by_distance = mid - side * min(stop_price, _percent_of(mid, stop_percent))
    stop = max(by_distance, stop_at) if side > 0 else min(by_distance, stop_at)
    stop = _rounded(stop, tick, ones)
    kind = BY_STOP
    risk = abs(mid - stop) if math.isfinite(stop) else 0.0
    trail = even_once = np.inf
    trail_once = even_plus = 0.0
    first_stop = stop
    if settings_i[I_MOVING]:
        trail = _distance(U_TRAIL, j, base, mid, risk, levels, units_of)
        trail_once = _distance(U_TRAIL_ONCE, j, base, mid, risk, levels, units_of)
        even_once = _distance(U_EVEN_ONCE, j, base, mid, risk, levels, units_of)
        even_plus = _distance(U_EVEN_PLUS, j, base, mid, risk, levels, units_of)
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
    spread = _paid_spread(side, _spread_at(levels, i, mid, settings_i), settings_i[I_BID])
    slippage = settings_f[F_SLIPPAGE] if slips else 0.0
    price = mid + side * (spread + slippage)
    equity = sf[X_CASH]
    if amount != amount or most != most:
        return SKIP_UNKNOWN
    form = size_forms[rule]
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
    per_unit = abs(price) * value / settings_f[F_LEVERAGE]
    if units * per_unit > equity:
        if settings_i[I_SKIP_SHORT] or equity <= 0.0:
            return SKIP_MARGIN
        units = equity / per_unit
        si[S_CUTS] += 1
    units = math.floor(units / settings_f[F_STEP] + 1e-9) * settings_f[F_STEP]
    if not units >= settings_f[F_MIN_LOT]:
        return SKIP_LOT
    si[S_SIDE] = side
    si[S_ENTRY_BAR] = i if moment != AT_CLOSE else i + 1  # filled at a close, its entry bar is the next
    si[S_ENTRY_MOMENT] = moment
    si[S_ENTRY_RULE] = rule
    si[S_STOP_KIND] = kind
    sf[X_BEFORE] = sf[X_CASH]
    sf[X_UNITS] = units
    sf[X_MID] = mid
    sf[X_PRICE] = price
    sf[X_STOP] = stop
    sf[X_FIRST_STOP] = first_stop
    sf[X_TRAIL] = trail
    sf[X_TRAIL_ONCE] = trail_once
    sf[X_EVEN_ONCE] = even_once
    sf[X_EVEN_PLUS] = even_plus
    sf[X_TARGET] = target
    sf[X_R] = risk
    sf[X_HIGH] = mid
    sf[X_LOW] = mid
    sf[X_FEE] = _fee(units, price, settings_f)
    sf[X_SPREAD] = spread * units * value
    sf[X_SLIPPAGE] = slippage * units * value
    sf[X_FINANCING] = 0.0
    sf[X_MARGIN] = units * per_unit
    sf[X_CASH] = sf[X_BEFORE] - sf[X_FEE]
    return 0


@njit(nogil=True, error_model="numpy", forceinline=True)
def _enter_at_market(i, mid, moment, world):
    """Fill the waiting market entry, sized as its side's rule says."""
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    base = 0 if si[S_PENDING_SIDE] > 0 else PER_SIDE
    j = si[S_PENDING_BAR]
    amount = _at(base + SIZE, j, levels)
    most = _at(base + MOST, j, levels)
    return _open_position(i, mid, moment, True, amount, most, world)


@njit(nogil=True, error_model="numpy")
def _is_passed(side, is_stop, price, at):
    """Whether a resting order of a side is filled by a price `at`: a limit at or better, a stop at or worse."""
    return (price - at) * side >= 0.0 if not is_stop else (price - at) * side <= 0.0


@njit(nogil=True, error_model="numpy")
def _fill_order(r, i, mid, moment, rest, world):
    """Fill a resting order at `mid`: out of an opposite position first; a side that is filled has no room for more."""
    resting, rest_rows, orders, order_prices = rest
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    side = resting[r, R_SIDE]
    slips = resting[r, R_IS_STOP] == 1
    orders[r, O_ON] = 0
    if si[S_SIDE] == -side:
        _close_position(i, mid, slips, BY_REVERSE, -1, moment, 0, world)
        if settings_i[I_OPPOSITE] != 0:
            return
    j = orders[r, O_BAR]
    si[S_PENDING_SIDE] = side
    si[S_PENDING_BAR] = j
    si[S_PENDING_RULE] = resting[r, R_RULE]
    refused = _open_position(i, mid, moment, slips, rest_rows[ROW_SIZE, r, j], rest_rows[ROW_MOST, r, j], world)
    si[S_PENDING_SIDE] = 0
    if refused != 0:
        _skip(i, side, refused, moment, si, skips)
        return
    _drop_orders(side, resting, orders)


@njit(nogil=True, error_model="numpy")
def _drop_orders(side, resting, orders):
    """A side that has been filled, by whatever rule, has no room for its resting orders."""
    for k in range(resting.shape[0]):
        if resting[k, R_SIDE] == side:
            orders[k, O_ON] = 0


@njit(nogil=True, error_model="numpy")
def _orders_at_open(i, o, c, rest, world):
    """Orders that the open has passed fill there; of both sides only the one for which the close is worse."""
    resting, rest_rows, orders, order_prices = rest
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    chosen = -1
    for r in range(resting.shape[0]):
        if orders[r, O_ON] and _is_passed(resting[r, R_SIDE], resting[r, R_IS_STOP], order_prices[r], o):
            side = resting[r, R_SIDE]
            if si[S_SIDE] != 0 and settings_i[I_OPPOSITE] == 2:
                continue
            if chosen < 0 or (side != resting[chosen, R_SIDE] and (c - o) * side < (c - o) * resting[chosen, R_SIDE]):
                chosen = r
    if chosen >= 0:
        _fill_order(chosen, i, o, AT_OPEN, rest, world)


@njit(nogil=True, error_model="numpy")
def _nearest_order(side, below, o, high, low, resting, orders, order_prices):
    """The touched order of a side below or above the open that lies nearest to it; -1 for none.

    One that the open had passed already and that was not chosen there does not fill in this bar.
    """
    found = -1
    for r in range(resting.shape[0]):
        price = order_prices[r]
        if not orders[r, O_ON] or resting[r, R_SIDE] != side or _is_passed(side, resting[r, R_IS_STOP], price, o):
            continue
        touched = low <= price < o if below else o < price <= high
        if touched and (found < 0 or abs(price - o) < abs(order_prices[found] - o)):
            found = r
    return found


@njit(nogil=True, error_model="numpy")
def _nearest_either_way(side, o, high, low, resting, orders, order_prices):
    """The touched order of a side nearest to the open; of two as near, the one below."""
    under = _nearest_order(side, True, o, high, low, resting, orders, order_prices)
    over = _nearest_order(side, False, o, high, low, resting, orders, order_prices)
    if under >= 0 and (over < 0 or abs(order_prices[under] - o) <= abs(order_prices[over] - o)):
        return under
    return over


@njit(nogil=True, error_model="numpy")
def _worst_inside(i, o, high, low, c, rest, world):
    """The bar's inside by the policy `worst`, with resting orders."""
    resting, rest_rows, orders, order_prices = rest
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    side = si[S_SIDE]
    if side == 0:
        buy = _nearest_either_way(1, o, high, low, resting, orders, order_prices)
        sell = _nearest_either_way(-1, o, high, low, resting, orders, order_prices)
        chosen = buy if buy >= 0 else sell
        if buy >= 0 and sell >= 0 and order_prices[sell] - c < c - order_prices[buy]:
            chosen = sell
        if chosen >= 0:
            _fill_inside(chosen, i, high, low, c, rest, world)
        return
    # In a position the side against it comes first: its stop and opposite orders, those nearer to the open first.
    against_below = side > 0
    for against in (True, False):
        below = against_below if against else not against_below
        order = -1
        if settings_i[I_OPPOSITE] != 2:
            order = _nearest_order(-side, below, o, high, low, resting, orders, order_prices)
        level = sf[X_STOP] if against else sf[X_TARGET]
        hit = low <= level if below else high >= level
        if order >= 0 and (not hit or abs(order_prices[order] - o) < abs(level - o)):
            _fill_inside(order, i, high, low, c, rest, world)
            return
        if hit:
            other = sf[X_TARGET] if against else sf[X_STOP]
            both = 1 if (high >= other if below else low <= other) else 0
            reason = si[S_STOP_KIND] if against else BY_TARGET
            _close_position(i, level, against, reason, -1, INSIDE, both, world)
            if order >= 0:  # further along the same way
                _fill_inside(order, i, high, low, c, rest, world)
            return


@njit(nogil=True, error_model="numpy")
def _fill_inside(r, i, high, low, c, rest, world):
    """An order filled inside the bar: its stop counts for this bar too, its target only if the close is at or beyond it."""
    resting, rest_rows, orders, order_prices = rest
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    _fill_order(r, i, order_prices[r], INSIDE, rest, world)
    side = si[S_SIDE]
    if side == 0:
        return
    stop, target = sf[X_STOP], sf[X_TARGET]
    if low <= stop if side > 0 else high >= stop:
        _close_position(i, stop, True, si[S_STOP_KIND], -1, INSIDE, 1, world)
    elif (c - target) * side >= 0.0:
        _close_position(i, target, False, BY_TARGET, -1, INSIDE, 0, world)


@njit(nogil=True, error_model="numpy")
def _path_inside(i, o, high, low, c, rest, world):
    """The bar's inside by the policy `path`: everything fills where price comes along, nearer extreme first."""
    resting, rest_rows, orders, order_prices = rest
    levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips = world
    high_first = abs(o - high) < abs(o - low) - settings_f[F_TICK] / 1000.0
    at = o
    for leg in range(3):
        end = c if leg == 2 else (high if high_first == (leg == 0) else low)
        up = end >= at
        while True:
            side = si[S_SIDE]
            nearest = np.inf
            order, level = -1, 0
            if side != 0:
                stop_ahead = (side < 0) == up
                price = sf[X_STOP] if stop_ahead else sf[X_TARGET]
                if (at <= price <= end) if up else (end <= price <= at):
                    nearest = abs(price - at)
                    level = 1 if stop_ahead else 2
            for r in range(resting.shape[0]):
                if not orders[r, O_ON] or resting[r, R_SIDE] == side or (side != 0 and settings_i[I_OPPOSITE] == 2):
                    continue
                if _is_passed(resting[r, R_SIDE], resting[r, R_IS_STOP], order_prices[r], o):
                    continue
                # Going up fills long stops and short limits, going down short stops and long limits.
                meets = (resting[r, R_SIDE] > 0) == (resting[r, R_IS_STOP] == 1)
                price = order_prices[r]
                if meets == up and ((at <= price <= end) if up else (end <= price <= at)) and abs(price - at) < nearest:
                    nearest, order = abs(price - at), r
            if order < 0 and level == 0:
                break
            if order >= 0:
                at = order_prices[order]
                _fill_order(order, i, at, INSIDE, rest, world)
            else:
                stop, target = sf[X_STOP], sf[X_TARGET]
                both = 1 if low <= stop <= high and low <= target <= high else 0
                at = stop if level == 1 else target
                reason = si[S_STOP_KIND] if level == 1 else BY_TARGET
                _close_position(i, at, level == 1, reason, -1, INSIDE, both, world)
        at = end


@njit(nogil=True, error_model="numpy")
def _skip(i, side, reason, moment, si, skips):
    k = si[S_SKIPS]
    skips[k, 0] = i
    skips[k, 1] = side
    skips[k, 2] = reason
    skips[k, 3] = moment
    si[S_SKIPS] = k + 1


@njit(nogil=True, error_model="numpy")
def _watch(i, side, closes, day_number, day_stride, watched, steps, table, registers, si, sf):
    """The number of the first exit rule whose condition on the position is yes at this close; -1 for none.

    The steps are those of running values: plan.carries says what each does. Conditions are 0 no, 1 unknown, 2 yes.
    """
    mid = sf[X_MID]
    percent = 100.0 * side / abs(mid) if mid != 0.0 else np.nan
    best, worst = (sf[X_HIGH], sf[X_LOW]) if side > 0 else (sf[X_LOW], sf[X_HIGH])
    registers[P_ENTRY_PRICE] = mid
    registers[P_BARS_HELD] = i - si[S_ENTRY_BAR] + 1
    registers[P_DAYS_HELD] = day_number[i * day_stride] - day_number[si[S_ENTRY_BAR] * day_stride] + 1
    registers[P_OPEN_PROFIT] = (closes[i] - mid) * percent
    registers[P_BEST_PROFIT] = (best - mid) * percent
    registers[P_WORST_PROFIT] = (worst - mid) * percent
    registers[P_POSITION] = side
    registers[P_STOP_PRICE] = sf[X_STOP] if math.isfinite(sf[X_STOP]) else np.nan
    registers[P_TARGET_PRICE] = sf[X_TARGET] if math.isfinite(sf[X_TARGET]) else np.nan
    for w in range(watched.shape[0]):
        if (watched[w, W_SIDES] & (1 if side > 0 else 2)) == 0:
            continue
        for k in range(watched[w, W_COLUMN], watched[w, W_COLUMN_END]):
            registers[2 * POSITION_NAMES + k - watched[w, W_COLUMN]] = table[k, i]
        for m in range(watched[w, W_STEP], watched[w, W_STEP_END]):
            step = steps[m, 0]
            a = registers[steps[m, 2]]
            b = registers[steps[m, 3]]
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
                value = np.nan if a == 1.0 else (b if a == 2.0 else registers[steps[m, 4]])
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
            registers[steps[m, 1]] = value
        if registers[POSITION_NAMES] == 2.0:
            return watched[w, W_RULE]
    return -1


@njit(nogil=True, error_model="numpy")
def _any_on(orders):
    on = 0
    for r in range(orders.shape[0]):
        on += orders[r, O_ON]
    return on > 0


@njit(nogil=True, error_model="numpy")
def _end_orders(i, reason, moment, only_old, resting, orders, si, skips):
    """Orders die: all of them, or those whose last bar this was; each is told with its reason."""
    for r in range(orders.shape[0]):
        if orders[r, O_ON] and (not only_old or orders[r, O_UNTIL] <= i):
            orders[r, O_ON] = 0
            _skip(i, resting[r, R_SIDE], reason, moment, si, skips)


@njit(cache=True, nogil=True, error_model="numpy")
def simulate(
    opens, highs, lows, closes, flags, blocks, rows, slots, constants,
    entry_long, entry_short, exit_long, exit_short, rule_strides, size_forms, entry_orders, exit_orders, units_of,
    resting, rest_signals, rest_rows, orders, order_prices, watched, steps, table, registers,
    day_number, day_start, day_ends, day_stride, limits, settings_i, settings_f, si, sf, equity, ti, tf, skips,
):  # fmt: skip
    """Run from the state's bar to the last; returns the next bar to run (past the last when done).

    opens, highs, lows, closes : float64 (n,); flags, blocks : uint8 (n,); rows, slots, constants : the 30
    columns of levels, float64 (k, n) those that vary, int64 (30,) the row of each or -1, float64 (30,) the values of
    the others; day_number, day_start : int64, each bar's trading day and the index of its first bar,
    day_ends : uint8, whether its close reaches the session end; (n,) or (1,) with `day_stride`, read only where a rule needs them; limits : as `L_ENTRIES` and so on; entry_* and exit_* : uint8 rule numbers with `rule_strides`; equity : float64 (n,),
    written for every bar run. `ti`, `tf`, `skips` are the ledger; when they may not hold one more bar's events the
    kernel returns early with its state saved.
    """
    last = settings_i[I_LAST]
    opposite = settings_i[I_OPPOSITE]
    value = settings_f[F_VALUE]
    levels = (rows, slots, constants)
    world = (levels, size_forms, units_of, settings_i, settings_f, si, sf, ti, tf, skips)
    rest = (resting, rest_rows, orders, order_prices)
    # Every bar of a position is looked at when levels move, limits count, or days or closes end it.
    has_orders = resting.shape[0] > 0
    watchful = settings_i[I_MOVING] or settings_i[I_LIMITED] or has_orders or watched.shape[0] > 0
    for place in range(I_CLOSE_AFTER_LONG, I_CLOSE_DAYS_SHORT + 1):
        watchful = watchful or settings_i[place] > 0
    i = si[S_BAR]
    while i <= last:
        # --- quiet loops: nothing scheduled, look for the next thing that could happen --------------------------
        side = si[S_SIDE]
        if si[S_RUINED]:
            cash = sf[X_CASH]
            while i <= last:
                equity[i] = cash
                i += 1
            break
        if si[S_PENDING_SIDE] == 0 and si[S_EXIT_DUE] < 0:
            if side == 0:
                cash = sf[X_CASH]
                if cash > 0.0 and not (has_orders and _any_on(orders)):
                    while i < last and (flags[i] & 3) == 0:
                        equity[i] = cash
                        i += 1
            elif not watchful:
                after = settings_i[I_AFTER_LONG] if side > 0 else settings_i[I_AFTER_SHORT]
                bound = last
                if after > 0:
                    bound = min(bound, si[S_ENTRY_BAR] + after - 1)
                stop = sf[X_STOP]
                target = sf[X_TARGET]
                cash = sf[X_CASH]
                price = sf[X_PRICE]
                scale = sf[X_UNITS] * value * side
                ruin = settings_f[F_STOP_OUT] * sf[X_MARGIN]
                top = sf[X_HIGH]
                bottom = sf[X_LOW]
                if side > 0:
                    mask = EXIT_LONG | FLAT_OPEN | FLAT_CLOSE | NIGHT | (0 if opposite == 2 else ENTER_SHORT)
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
                    mask = EXIT_SHORT | FLAT_OPEN | FLAT_CLOSE | NIGHT | (0 if opposite == 2 else ENTER_LONG)
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
                sf[X_HIGH] = top
                sf[X_LOW] = bottom

        # --- slow path: one bar in full -------------------------------------------------------------------------
        if (
            si[S_TRADES] + 3 + 2 * orders.shape[0] > ti.shape[0]
            or si[S_SKIPS] + 4 + 3 * orders.shape[0] > skips.shape[0]
        ):
            break
        flag = flags[i]
        o = opens[i]

        # 1. Open: financing, forced exits, scheduled exits, scheduled entries, levels already passed.
        if (flag & NIGHT) != 0 and si[S_SIDE] != 0 and i > settings_i[I_FIRST]:
            rate = settings_f[F_FINANCING_LONG] if si[S_SIDE] > 0 else settings_f[F_FINANCING_SHORT]
            cost = sf[X_UNITS] * closes[i - 1] * value * rate / 100.0 / 365.0 * _at(NIGHTS, i, levels)
            sf[X_FINANCING] += cost
            sf[X_CASH] -= cost
        if (flag & FLAT_OPEN) != 0:
            if si[S_SIDE] != 0:
                _close_position(i, o, True, BY_FLAT, -1, AT_OPEN, 0, world)
            si[S_EXIT_DUE] = -1
            if si[S_PENDING_SIDE] != 0:
                _skip(i, si[S_PENDING_SIDE], SKIP_FLAT, AT_OPEN, si, skips)
                si[S_PENDING_SIDE] = 0
            _end_orders(i, SKIP_FLAT, AT_OPEN, False, resting, orders, si, skips)
        if si[S_EXIT_DUE] >= 0:
            if si[S_SIDE] != 0:
                _close_position(i, o, True, si[S_EXIT_DUE], si[S_EXIT_RULE], AT_OPEN, 0, world)
            si[S_EXIT_DUE] = -1
        if si[S_PENDING_SIDE] != 0:
            refused = _enter_at_market(i, o, AT_OPEN, world)
            if refused != 0:
                _skip(i, si[S_PENDING_SIDE], refused, AT_OPEN, si, skips)
            elif has_orders:
                _drop_orders(si[S_SIDE], resting, orders)
            si[S_PENDING_SIDE] = 0

        # 2. Inside the bar: levels, at the open when it has passed them, else where touched.
        side = si[S_SIDE]
        if side != 0:
            stop = sf[X_STOP]
            target = sf[X_TARGET]
            if side > 0:
                stop_gap, target_gap = o <= stop, o >= target
                stop_hit, target_hit = lows[i] <= stop, highs[i] >= target
            else:
                stop_gap, target_gap = o >= stop, o <= target
                stop_hit, target_hit = highs[i] >= stop, lows[i] <= target
            if stop_gap:
                _close_position(i, o, True, si[S_STOP_KIND], -1, AT_OPEN, 0, world)
            elif target_gap:
                _close_position(i, o, False, BY_TARGET, -1, AT_OPEN, 0, world)
            elif not has_orders and (stop_hit or target_hit):
                both = 1 if stop_hit and target_hit else 0
                take_stop = stop_hit
                if both and settings_i[I_PATH]:
                    high_first = abs(o - highs[i]) < abs(o - lows[i]) - settings_f[F_TICK] / 1000.0
                    take_stop = high_first if side < 0 else not high_first
                if take_stop:
                    _close_position(i, stop, True, si[S_STOP_KIND], -1, INSIDE, both, world)
                else:
                    _close_position(i, target, False, BY_TARGET, -1, INSIDE, both, world)
        if has_orders:
            _orders_at_open(i, o, closes[i], rest, world)
            if settings_i[I_PATH]:
                _path_inside(i, o, highs[i], lows[i], closes[i], rest, world)
            else:
                _worst_inside(i, o, highs[i], lows[i], closes[i], rest, world)

        # 3. Close: excursions, equity, ruin, forced exits, then the rules: exits before entries.
        side = si[S_SIDE]
        c = closes[i]
        now = sf[X_CASH]
        margin = 0.0
        if side != 0:
            inside = si[S_ENTRY_BAR] == i and si[S_ENTRY_MOMENT] == INSIDE
            # Filled inside this bar, its good extreme may have come before the fill: only the close is sure.
            sf[X_HIGH] = max(sf[X_HIGH], c if inside and side > 0 else highs[i])
            sf[X_LOW] = min(sf[X_LOW], c if inside and side < 0 else lows[i])
            now = sf[X_CASH] + (c - sf[X_PRICE]) * (sf[X_UNITS] * value * side)
            margin = sf[X_MARGIN]
        if now <= settings_f[F_STOP_OUT] * margin:
            if side != 0:
                _close_position(i, c, True, BY_RUIN, -1, AT_CLOSE, 0, world)
            si[S_RUINED] = 1
            equity[i] = sf[X_CASH]
            i += 1
            continue
        if (flag & FLAT_CLOSE) != 0:
            _end_orders(i, SKIP_FLAT, AT_CLOSE, False, resting, orders, si, skips)
        if side != 0 and ((flag & FLAT_CLOSE) != 0 or i == last):
            reason = BY_FLAT if (flag & FLAT_CLOSE) != 0 else BY_END
            _close_position(i, c, True, reason, -1, AT_CLOSE, 0, world)
            side = 0
            now = sf[X_CASH]
        equity[i] = now
        if i == last:
            i += 1
            break
        if side != 0 and settings_i[I_MOVING]:
            _move_levels(i, levels, settings_i, settings_f, si, sf)
        if settings_i[I_LIMITED]:
            begins = day_start[i * day_stride]
            before = equity[begins - 1] if begins > settings_i[I_FIRST] else settings_f[F_CAPITAL]
            if limits[L_LOSS] < np.inf and now <= before * (1.0 - limits[L_LOSS] / 100.0):
                si[S_LOST_DAY] = begins

        # 4. The rules, on closed values: exits, then entries; an entry of a side that exits does not happen.
        left = 0
        if side != 0:
            exit_bit = EXIT_LONG if side > 0 else EXIT_SHORT
            which = 0 if side > 0 else 1
            held = i - si[S_ENTRY_BAR] + 1
            due, due_rule, at_close = -1, np.int64(-1), False
            if (flag & exit_bit) != 0:
                due_rule = np.int64(exit_long[i * rule_strides[2]] if side > 0 else exit_short[i * rule_strides[3]])
            if watched.shape[0] > 0:
                asked = _watch(i, side, closes, day_number, day_stride, watched, steps, table, registers, si, sf)
                if asked >= 0 and (due_rule < 0 or asked < due_rule):
                    due_rule = asked
            if due_rule >= 0:
                due = BY_RULE
                at_close = exit_orders[due_rule] == AT_THIS_CLOSE
            elif 0 < settings_i[I_CLOSE_AFTER_LONG + which] <= held:
                due, at_close = BY_TIME, True
            elif 0 < settings_i[I_AFTER_LONG + which] <= held:
                due = BY_TIME
            else:
                days, close_days = settings_i[I_DAYS_LONG + which], settings_i[I_CLOSE_DAYS_LONG + which]
                if days > 0 or close_days > 0:
                    entered = day_number[si[S_ENTRY_BAR] * day_stride]
                    if 0 < close_days <= day_number[i * day_stride] - entered + 1 and (day_ends[i * day_stride] != 0):
                        due, at_close = BY_TIME, True
                    elif (
                        0 < close_days <= day_number[(i + 1) * day_stride] - entered
                        or 0 < days <= day_number[(i + 1) * day_stride] - entered
                    ):
                        due = BY_TIME
            left = side if due >= 0 else 0
            if due >= 0 and at_close:
                _close_position(i, c, True, due, due_rule, AT_CLOSE, 0, world)
                side = 0
            elif due >= 0:
                si[S_EXIT_DUE] = due
                si[S_EXIT_RULE] = due_rule
        wants_long, wants_short = (flag & ENTER_LONG) != 0 and left <= 0, (flag & ENTER_SHORT) != 0 and left >= 0
        blocked = 0
        if wants_long or wants_short:
            blocked = blocks[i] if (flag & BLOCKED) != 0 else 0
            if blocked == 0 and settings_i[I_LIMITED]:
                blocked = _held_back(i, day_start, day_stride, limits, si, ti, tf)
        entering, resting_side = 0, 0
        if has_orders:
            _end_orders(i, SKIP_EXPIRED, AT_CLOSE, True, resting, orders, si, skips)
        if side != 0:
            turns = wants_short if side > 0 else wants_long
            if turns and opposite != 2:
                if blocked != 0:
                    if opposite == 0:
                        _skip(i, -side, blocked, AT_CLOSE, si, skips)
                else:
                    rule = entry_short[i * rule_strides[1]] if side > 0 else entry_long[i * rule_strides[0]]
                    resting_side = -side
                    if rule == NO_RULE:
                        pass
                    elif entry_orders[rule] == AT_THIS_CLOSE:
                        _close_position(i, c, True, BY_REVERSE, -1, AT_CLOSE, 0, world)
                    elif si[S_EXIT_DUE] < 0:
                        si[S_EXIT_DUE] = BY_REVERSE
                        si[S_EXIT_RULE] = -1
                    if opposite == 0 and rule != NO_RULE:
                        entering = -side
        elif wants_long or wants_short:
            if blocked != 0 or (wants_long and wants_short):
                reason = blocked if blocked != 0 else SKIP_BOTH
                if wants_long:
                    _skip(i, 1, reason, AT_CLOSE, si, skips)
                if wants_short:
                    _skip(i, -1, reason, AT_CLOSE, si, skips)
            else:
                resting_side = 1 if wants_long else -1
                rule = entry_long[i * rule_strides[0]] if wants_long else entry_short[i * rule_strides[1]]
                entering = resting_side if rule != NO_RULE else 0
        for r in range(resting.shape[0]):
            if resting_side != 0 and resting[r, R_SIDE] == resting_side and rest_signals[r, i] != 0:
                price = rest_rows[ROW_PRICE, r, i]
                if price != price:
                    _skip(i, resting_side, SKIP_UNKNOWN, AT_CLOSE, si, skips)
                    continue
                orders[r, O_ON] = 1
                orders[r, O_UNTIL] = i + resting[r, R_LIFE]
                orders[r, O_BAR] = i
                order_prices[r] = _rounded(price, settings_f[F_TICK], settings_i[I_TICKS_IN_ONE])
        if entering != 0:
            si[S_PENDING_SIDE] = entering
            si[S_PENDING_BAR] = i
            si[S_PENDING_RULE] = entry_long[i * rule_strides[0]] if entering > 0 else entry_short[i * rule_strides[1]]
            if entry_orders[si[S_PENDING_RULE]] == AT_THIS_CLOSE:
                refused = _enter_at_market(i, c, AT_CLOSE, world)
                if refused != 0:
                    _skip(i, entering, refused, AT_CLOSE, si, skips)
                elif has_orders:
                    _drop_orders(entering, resting, orders)
                si[S_PENDING_SIDE] = 0
        i += 1
    si[S_BAR] = i
    return i
