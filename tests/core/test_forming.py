"""Higher bars as they form: against the same expression computed anew at every close on bars gathered by hand."""

import numpy as np
import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.catalogue import UNKNOWN
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import Expressions, make_dataset

START = 1_704_067_200
ZONE = {"zone": "UTC", "session": "00:00-24:00"}


def hourly(count, seed=3, missing=0.15):
    rng = np.random.default_rng(seed)
    closes = 100 + np.cumsum(rng.normal(0, 1, count))
    opens = closes + rng.normal(0, 0.5, count)
    high, low = np.maximum(opens, closes) + rng.random(count), np.minimum(opens, closes) - rng.random(count)
    bars = Bars(
        Timeframe(60),
        START + np.arange(count, dtype=np.int64) * 3600,
        opens,
        high,
        low,
        closes,
        rng.integers(1, 9, count).astype(float),
    )
    return bars.take(rng.random(count) >= missing)


def gathered(bars, upto):
    """Four-hour bars of the bars up to and including one, the last as it stands."""
    rows = {}
    for i in range(upto + 1):
        at = (bars.time[i] - START) // 14_400
        row = rows.setdefault(at, [bars.open[i], bars.high[i], bars.low[i], bars.close[i], 0.0])
        row[1], row[2], row[3] = max(row[1], bars.high[i]), min(row[2], bars.low[i]), bars.close[i]
        row[4] += bars.volume[i]
    table = np.array(list(rows.values())).T
    return Bars(Timeframe(240), START + np.array(list(rows), np.int64) * 14_400, *table)


def plain(bars, expression, condition):
    found = []
    for i in range(len(bars)):
        dataset = make_dataset(gathered(bars, i), Market("M", **ZONE))
        checked = check(f"x = {expression}\n")
        found.append(Expressions(checked, {}, dataset).whole(checked.definitions["x"].value)[-1])
    return np.array(found, np.int8 if condition else float)


def forming(bars, expression):
    dataset = make_dataset(bars, Market("M", **ZONE))
    checked = check(f"x = ({expression}) on 4h forming\n")
    assert checked.is_sound, checked.diagnostics
    return Expressions(checked, {}, dataset).whole(checked.definitions["x"].value)


NUMBERS = [
    "close", "open", "high - low", "volume", "range / body", "prior(high, 2)", "close - prior(close)", "sma(close, 5)",
    "ema(close, 6)", "wilder(high, 4)", "ema(ema(close, 3), 4)", "rsi(close, 5)", "atr(4)", "highest(high, 3)",
    "stdev(close, 4)", "bollinger(close, 5, 2).upper", "macd(close, 3, 6, 4).gap", "obv", "psar", "bar",
    "dema(close, 3)", "tema(close, 3)", "tsi(close, 4, 3)", "keltner(4, 3, 2).lower", "macd(close, 3, 6, 4).signal",
    "rsi(min(close, open), 3)", "stoch(4, 2, 2).d", "cci(5)", "williams(4)", "mfi(4)", "aroon(4).up", "channel(5).mid",
    "vortex(3).plus", "choppiness(4)", "efficiency(close, 4)", "roc(close, 3)", "cmo(close, 4)", "median(high, 5)",
    "percentile(close, 5, 70)", "zscore(close, 6)", "rank(close, 5)", "correlation(close, volume, 5)", "true_range",
    "beta(close, high, 4)", "historical_volatility(5)", "money_flow(4)", "wma(low, 4)", "kama(close, 3)", "adx(3).adx",
    "count(close > open, 4)", "max(close, prior(close)) - abs(close - open)", "supertrend(3, 2).line", "accumulation",
    "(close if close > open else prior(low))", "total(k from 0 to 2: prior(close, k))", "bars_since(close > prior(close, 2))",
    "vwap", "hold(close, when: close > open)", "cumulate(close - open)", "peak(high, since: close < open)", "opening_range(300).high",
    "dip(low, since: close > open)", "hma(close, 5)", "vwma(close, 4)", "fit(close, 4).slope", "ichimoku(2, 3, 5).span_b",
    "average(close, 4, ema)", "average(close, 4, sma)", "stoch_rsi(close, 3, 3, 2, 2).d", "crest(before: 2, after: 1)",
    "supertrend(3, 1).side", "tsi(min(close, open), 3, 2)", "keltner(3, 2, 1).upper",
]  # fmt: skip
CONDITIONS = [
    "close > prior(close)", "close crosses above sma(close, 4)", "not (close > open and high > prior(high))",
    "close in 95..105", "close > open then close < open no later than 3 bars", "recently(close > prior(high), 3)", "climbs(close, 2)", "sinks(low, 2)", "starts(close > open)",
    "ends(close > open)", "once(close > open, reset: close < prior(close, 3))", "all of (close > open, high > prior(high)) no later than 3 bars",
    "close > open then close < open no later than 2 bars unless high > prior(high, 2)",
    "known(sma(close, 8))",
]  # fmt: skip


@pytest.mark.parametrize("expression", NUMBERS)
def test_numbers_equal_those_of_bars_gathered_by_hand(expression):
    bars = hourly(90)
    np.testing.assert_allclose(forming(bars, expression), plain(bars, expression, False), rtol=1e-9, atol=1e-9)


@pytest.mark.parametrize("expression", CONDITIONS)
def test_conditions_equal_those_of_bars_gathered_by_hand(expression):
    bars = hourly(90)
    found = forming(bars, expression)
    assert (found == plain(bars, expression, True)).all()
    assert set(found.tolist()) - {UNKNOWN} == {0, 2}


@pytest.mark.parametrize(
    "running",
    [
        "carry m = (max(m, close) if volume > 2 else m - 1) starting close",
        "carry m = close - m starting prior(high, 3)",
    ],
)
def test_running_values_equal_those_of_bars_gathered_by_hand(running):
    bars = hourly(90)
    dataset = make_dataset(bars, Market("M", **ZONE))
    checked = check(f"{running}\nx = m on 4h forming\n")
    found = Expressions(checked, {}, dataset).whole(checked.definitions["x"].value)
    by_hand = []
    for i in range(len(bars)):
        closed = make_dataset(gathered(bars, i), Market("M", **ZONE))
        alone = check(f"{running}\nx = m\n")
        by_hand.append(Expressions(alone, {}, closed).whole(alone.definitions["x"].value)[-1])
    np.testing.assert_allclose(found, by_hand, rtol=1e-12)


def test_at_the_end_of_a_higher_bar_the_forming_value_is_the_closed_one():
    bars = hourly(400, missing=0)
    dataset = make_dataset(bars, Market("M", **ZONE))
    checked = check("x = ema(close, 5) on 4h forming\ny = ema(close, 5) on 4h\n")
    expressions = Expressions(checked, {}, dataset)
    x, y = (expressions.whole(checked.definitions[name].value) for name in "xy")
    ends = np.arange(3, 400, 4)
    np.testing.assert_allclose(x[ends], y[ends], rtol=1e-12)
    assert not np.allclose(x[100:103], y[100:103])


def test_another_markets_forming_bars_are_seen_as_of_their_closes():
    bars, others = hourly(80, missing=0), hourly(80, seed=8, missing=0)
    other = make_dataset(others, Market("N", **ZONE))
    dataset = make_dataset(bars, Market("M", **ZONE), others=lambda symbol, timeframe: other)
    checked = check('x = high from "N" on 4h forming\n')
    found = Expressions(checked, {}, dataset).whole(checked.definitions["x"].value)
    np.testing.assert_allclose(found, [others.high[i // 4 * 4 : i + 1].max() for i in range(80)])


def test_what_would_take_too_long_is_refused(monkeypatch):
    monkeypatch.setattr("skelb.core.plan.forming._MOST_STEPS", 100)
    with pytest.raises(SettingsError, match=r"stoch_rsi.* on forming bars would look at"):
        forming(hourly(90), "stoch_rsi(close, 3, 3, 2, 2).k")
