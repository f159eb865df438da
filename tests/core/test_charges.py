"""What a round trip costs, against plain forms and against a trade that paid it."""

import numpy as np
import pytest

from skelb.core.bars import Bars, Commission
from skelb.core.engine import Account, run
from skelb.core.figures import charges_of
from skelb.core.language import check
from skelb.core.plan import input_values, make_plan
from tests.conftest import dataset, wave_bars

BY_HOUR = tuple(0.25 + 0.05 * hour for hour in range(24))
FEES = Commission(percent=0.02, per_order=0.5)


def level_bars(size=200, price=100.0):
    """Bars that close where they opened, with some range in between: a round trip earns nothing but its costs."""
    bars = wave_bars(size)
    same = np.full(size, price)
    return Bars(bars.timeframe, bars.time, same, same + 1.0, same - 1.0, same, 1.0 + (np.arange(size) == 150))


@pytest.mark.parametrize(
    "market",
    [
        pytest.param({"spread": 0.5}, id="points"),
        pytest.param({"spread": 3, "spread_unit": "ticks"}, id="ticks"),
        pytest.param({"spread": 0.02, "spread_unit": "percent"}, id="percent"),
        pytest.param({"spread_by_hour": (0.7,) * 24}, id="by-hour"),
        pytest.param({"spread": 0.5, "point_value": 20.0, "min_lot": 2.0, "lot_step": 2.0}, id="contract"),
        pytest.param({"spread": 0.1, "commission": Commission(0.01, 0.2, 1.0, 3.0)}, id="own-fees"),
    ],
)
def test_a_round_trip_costs_what_a_trade_is_charged(market):
    market = {"lot_step": 1.0, "min_lot": 1.0} | market
    data = dataset(level_bars(), tick=0.25, **market)
    found = charges_of(data, FEES, 2)
    assert found.lot == market["min_lot"]
    checked = check(f"enter long when volume > 1.5\nexit after 1 bars\nsize {found.lot:g} units\n")
    assert checked.is_sound, checked.diagnostics
    outcome = run(
        make_plan(checked, data, input_values(checked, {})), Account(capital=1e9, commission=FEES, slippage_ticks=2)
    )
    assert len(outcome.trades) == 1
    assert found.total == pytest.approx(
        -float(outcome.trades.net[0]), rel=1e-3
    )  # fees are of the mid here, not the fill
    assert found.total == pytest.approx(found.spread + found.commission + found.slippage)
    assert found.share == pytest.approx(found.total / found.day_range * 100.0)
    assert found.day_range_points == 2.0


def test_hours_are_percentiles_of_the_days_range():
    data = dataset(wave_bars(3000), tick=0.25, spread_by_hour=BY_HOUR)
    found = charges_of(data, Commission(), 0)
    hours = data.calendar.open_minute // 60 % 24
    shares = {}
    for day in np.unique(data.calendar.day)[-260:]:
        own = data.calendar.day == day
        size = data.bars.high[own].max() - data.bars.low[own].min()
        for hour in hours[own].tolist():
            shares.setdefault(hour, []).append(BY_HOUR[hour] / size * 100)
    assert [row.hour for row in found.hours] == sorted(shares)
    for row in found.hours:
        assert (row.low, row.middle, row.high) == pytest.approx(np.percentile(shares[row.hour], (10, 50, 90)))


def test_days_without_a_range_have_no_share():
    same = np.full(50, 10.0)
    still = Bars(wave_bars(50).timeframe, wave_bars(50).time, same, same, same, same, np.ones(50))
    found = charges_of(dataset(still, spread=0.5), Commission(), 0)
    assert found.share is None and found.hours == [] and found.of_price == pytest.approx(5.0)
