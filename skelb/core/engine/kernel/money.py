# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""Money: what fills cost, the cash of the account, and the rows of the ledger that no trade fills."""

import numpy as np

from skelb.core.engine.kernel.places import account_of, column_at, lot_at, market_at, rules_of
from skelb.core.plan.columns import SPREAD_COLUMN
from skelb.core.spanning import inlined


@inlined
def value_at(column, i, market, run, series):
    """A column's value at bar i."""
    here = column_at(column, market, run)
    return series.rows[here.row, i] if here.row >= 0 else here.constant


@inlined
def paid_spread(direction, i, mid, market, run, series):
    """Distance from mid to the fill that the spread costs: half of it, or all or none on bid prices."""
    spread = value_at(SPREAD_COLUMN, i, market, run, series)
    if spread != spread:
        spread = 0.0
    if market.is_spread_percent:
        spread = mid * spread / 100.0
    if market.is_bid:
        return spread if direction > 0 else 0.0
    return spread / 2.0


@inlined
def fee_of(units, price, market):
    """The commission of one fill."""
    fee = market.fee_percent / 100.0 * (units * price * market.value) + market.fee_unit * units + market.fee_order
    return max(fee, market.fee_minimum)


@inlined
def net_of(gross, commission, spread, slippage, financing):
    """Gross less costs; nothing where that is the rounding of the arithmetic alone."""
    net = gross - commission - spread - slippage - financing
    size = abs(gross) + abs(commission) + abs(spread) + abs(slippage) + abs(financing)
    return net if abs(net) >= 1e-9 * size else 0.0


@inlined
def in_steps(units, step):
    """Units rounded down to whole lot steps."""
    return np.floor(units / step * (1.0 + 1e-12) + 1e-9) * step


@inlined
def settle(run):
    """Cash: capital and all nets, less what the open lots have paid so far."""
    paid = 0.0
    for k in range(rules_of(run).markets):
        market = market_at(k, run)
        for n in range(market.lots):
            lot = lot_at(n, market, run)
            paid += lot.fee + lot.financing
    account_of(run).cash = account_of(run).earned - paid


@inlined
def held_now(run):
    """The open profit of all lots of all markets at their last closes, and their margin."""
    profit, margin = 0.0, 0.0
    for k in range(rules_of(run).markets):
        market = market_at(k, run)
        for n in range(market.lots):
            lot = lot_at(n, market, run)
            profit += lot.open
            margin += lot.margin
    return profit, margin


@inlined
def tell(i, side, rule, reason, moment, run, series):
    """Write down an order that does not become a trade."""
    account = account_of(run)
    skip = series.skips[account.skips]
    skip.bar = i
    skip.side = side
    skip.rule = rule
    skip.reason = reason
    skip.moment = moment
    account.skips += 1
