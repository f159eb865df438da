"""What a round trip costs in a market, whatever the strategy: by kind, and by hour against the day's range."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Commission, Floats
from skelb.core.catalogue import spread_in_price
from skelb.core.plan import Dataset


@dataclass(frozen=True, slots=True)
class HourCharge:
    """What a round trip begun in an hour costs, percent of that day's range: the middle day, and eight days in ten."""

    hour: int
    middle: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Charges:
    """A round trip of one lot at the last bar, in the market's currency; the range of the middle day beside it.

    `share` is what it costs of that range, percent; of the price, `of_price` percent. None where a day has no range.
    `hours` and the middle day are of the last `days`.
    """

    lot: float
    spread: float
    commission: float
    slippage: float
    total: float
    day_range: float
    day_range_points: float
    share: float | None
    of_price: float | None
    days: int
    hours: list[HourCharge]


def charges_of(dataset: Dataset, commission: Commission, slippage_ticks: float, days: int = 260) -> Charges:
    """The charges on the last `days` trading days; `commission` is the account's, for a market without its own."""
    market, bars, calendar = dataset.market, dataset.bars, dataset.calendar
    fees = market.commission or commission
    lot = max(market.min_lot, market.lot_step)
    starts = np.flatnonzero(calendar.starts_day)[-days:]
    begin = int(starts[0])
    highs = np.maximum.reduceat(bars.high[begin:], starts - begin)
    ranges = highs - np.minimum.reduceat(bars.low[begin:], starts - begin)
    close, spread = bars.close[begin:], spread_in_price(dataset.frame)[begin:]
    money = market.point_value * lot  # of a point
    paid = 2.0 * _fee(fees, lot, np.abs(close) * money)
    slipped = 2.0 * slippage_ticks * market.tick
    points = spread + slipped + paid / money
    of_day = np.repeat(ranges, np.diff(np.append(starts - begin, close.size)))
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(of_day > 0, points / of_day * 100.0, np.nan)
    middle = float(np.median(ranges))
    last = float(points[-1])
    hours, known = calendar.open_minute[begin:] // 60 % 24, ~np.isnan(share)
    return Charges(
        lot=lot,
        spread=float(spread[-1]) * money,
        commission=float(paid[-1]),
        slippage=slipped * money,
        total=last * money,
        day_range=middle * money,
        day_range_points=middle,
        share=last / middle * 100.0 if middle > 0 else None,
        of_price=last / abs(float(close[-1])) * 100.0 if close[-1] else None,
        days=starts.size,
        hours=[_hour(int(hour), share[known & (hours == hour)]) for hour in np.unique(hours[known])],
    )


def _hour(hour: int, shares: Floats) -> HourCharge:
    low, middle, high = np.percentile(shares, (10, 50, 90))
    return HourCharge(hour, float(middle), float(low), float(high))


def _fee(fees: Commission, units: float, value: Floats) -> Floats:
    """Commission of one fill of so many units worth `value`, money."""
    charged = value * fees.percent / 100.0 + fees.per_unit * units + fees.per_order
    return np.maximum(charged, fees.minimum)
