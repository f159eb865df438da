"""The made-up world: the same on every machine, and made like a market."""

import hashlib

import numpy as np
import pytest

from skelb.core.bars import session_bars
from skelb.demo import DEMO_MARKETS, DEMO_SCRIPTS, make_bars
from skelb.service.application import Application
from skelb.service.settings import market_settings

MADE = {demo.settings["symbol"]: (demo, make_bars(demo)) for demo in DEMO_MARKETS}
EVERY = [
    pytest.param(demo, bars, id=f"{symbol} {bars.timeframe}")
    for symbol, (demo, all_bars) in MADE.items()
    for bars in all_bars
]


@pytest.mark.parametrize(("demo", "bars"), EVERY)
def test_bars_are_sound(demo, bars):
    assert (np.diff(bars.time) > 0).all()
    assert (bars.high >= np.maximum(bars.open, bars.close)).all() and (
        bars.low <= np.minimum(bars.open, bars.close)
    ).all()
    assert (bars.volume >= 1).all() and (bars.low > 0).all()
    for prices in (bars.open, bars.high, bars.low, bars.close):
        ticks = prices / demo.settings["tick"]
        np.testing.assert_allclose(ticks, np.round(ticks), atol=1e-6)


@pytest.mark.parametrize(("demo", "bars"), EVERY)
def test_every_bar_lies_inside_the_session(demo, bars):
    _, calendar, left_out = session_bars(bars, market_settings(demo.settings).market())
    assert left_out == 0
    assert set(np.unique(calendar.weekday)) == market_settings(demo.settings).market().trading_weekdays


def test_the_same_seed_makes_the_same_bars():
    demo, bars = MADE["KELP"]
    again = make_bars(demo)[0]
    digest = lambda item: hashlib.sha256(item.close.tobytes() + item.volume.tobytes()).hexdigest()  # noqa: E731
    assert digest(again) == digest(bars[0])


def test_prices_behave_like_prices():
    bars = MADE["KELP"][1][0]
    change = np.diff(np.log(bars.close))
    calm = np.abs(change) - np.abs(change).mean()
    lagged = float((calm[60:] * calm[:-60]).mean() / calm.var())
    assert lagged > 0.02  # volatility clusters: an hour later it still remembers
    minute = (bars.time % 86_400) // 60
    reach = bars.high - bars.low
    first_hour = reach[minute < minute.min() + 60].mean()
    assert first_hour > 1.2 * reach.mean()  # and has a shape over the day


def test_the_daily_bars_end_in_the_minutes_own_days():
    intraday, daily = MADE["QUAY12"][1]
    assert daily.close[-1] == intraday.close[-1] and daily.dated
    assert daily.volume[-521:].sum() == intraday.volume.sum()
    assert (daily.time[-1] - daily.time[0]) / 86_400 / 365.25 > 11.9


def test_an_interrupted_first_start_is_completed_by_the_next(tmp_path):
    class PowerCutError(Exception):
        pass

    def stop_at_third(what, done, total):
        if done == 2:
            raise PowerCutError

    application = Application(tmp_path)
    with pytest.raises(PowerCutError):
        application.install_demo(stop_at_third)
    assert len(application.library.markets()) == 2
    assert application.install_demo() and not application.install_demo()
    assert len(application.library.markets()) == len(DEMO_MARKETS) and len(application.library.scripts()) == len(
        DEMO_SCRIPTS
    )
    application.close()
