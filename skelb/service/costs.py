"""Costs made larger, or taken away: everything that a trade is charged, by the account and by the market."""

from dataclasses import replace

from skelb.core.bars import Commission, Market
from skelb.core.engine import Account


def dearer_account(account: Account, times: float) -> Account:
    """An account whose commission and slippage are so many times what they were."""
    return replace(account, commission=_times(account.commission, times), slippage_ticks=account.slippage_ticks * times)


def dearer_market(market: Market, times: float) -> Market:
    """A market whose spread, also one that came with the bars, own commission and charged nights are so many times
    what they were.

    What nights pay does not grow with the costs, and stays where there are none.
    """
    hourly = None if market.spread_by_hour is None else tuple(item * times for item in market.spread_by_hour)
    own, financing = market.commission, (market.financing_long, market.financing_short)
    return replace(
        market,
        spread=market.spread * times,
        spread_by_hour=hourly,
        stated_spread_times=market.stated_spread_times * times,
        commission=None if own is None else _times(own, times),
        financing_long=financing[0] * (times if financing[0] > 0 else 1.0),
        financing_short=financing[1] * (times if financing[1] > 0 else 1.0),
    )


def _times(fees: Commission, times: float) -> Commission:
    return Commission(fees.percent * times, fees.per_unit * times, fees.per_order * times, fees.minimum * times)
