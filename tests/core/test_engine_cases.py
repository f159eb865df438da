"""What needs more than a table of bars: many trades, extreme prices, finer bars, currency rates.

The cases to follow with a pencil are the files of tests/pencil. Here too bars are (open, high, low, close, volume), one
an hour from 2 Jan 2024 09:00 UTC, and `volume == 1` is the signal of a long.
"""

import numpy as np
import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account, Pool, run, run_basket
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan

SIGNALS = "enter long when volume == 1\nenter short when volume == 2\nsize 1 units\n"
LONG = "enter long when volume == 1\nsize 1 units\n"
START = 1_704_186_000
BUY = (100, 101, 99, 100, 1)
SELL = (100, 101, 99, 100, 2)
STILL = (100, 101, 99, 100, 0)
MARK = (100, 101, 99, 100, 3)


def plan_of(bars, script, minutes=60, timeframe=None, symbol="M", **market):
    """The plan of bars given as (open, high, low, close, volume), `minutes` apart, run on a longer `timeframe`."""
    table = np.array(bars, float).T
    time = START + np.arange(len(bars), dtype=np.int64) * minutes * 60
    stored = Bars(Timeframe(minutes), time, *table)
    dataset = make_dataset(stored, Market(symbol, tick=0.25, **market), timeframe)
    checked = check(script)
    assert checked.is_sound, checked.diagnostics
    return make_plan(checked, dataset, {})


def go(bars, script, account=None, **market):
    """The outcome of bars given as (open, high, low, close, volume)."""
    return run(plan_of(bars, script, **market), account or Account())


def trades(outcome):
    """Each trade as (entry bar, exit bar, side, entry price, exit price, reason)."""
    of = outcome.trades
    prices = zip(of.entry_price, of.exit_price, strict=True)
    return [
        (int(of.entry_bar[row]), int(of.exit_bar[row]), "long" if of.side[row] > 0 else "short", float(entry), float(leave), outcome.exit_reason(row))
        for row, (entry, leave) in enumerate(prices)
    ]  # fmt: skip


def units(outcome):
    return outcome.trades.units.tolist()


def bar(price, volume=0):
    """A bar that does not move."""
    return (price, price, price, price, volume)


@pytest.mark.parametrize("count", [1, 2])
def test_very_few_bars(count):
    assert go([BUY] * count, SIGNALS).equity.size == count


def test_many_trades_grow_the_ledger():
    bars = [(100, 101, 99, 100, 1 + i % 2) for i in range(9_000)]
    outcome = go(bars, SIGNALS)
    assert len(outcome.trades) == 8_999
    assert outcome.trades.net.sum() == pytest.approx(outcome.equity[-1] - 10_000)


def test_prices_very_small_and_very_large():
    for scale in (1e-8, 1e9):
        bars = [tuple(x * scale for x in bar[:4]) + (bar[4],) for bar in (BUY, STILL, STILL)]
        table = np.array(bars, float).T
        data = make_dataset(Bars(Timeframe(60), START + np.arange(3) * 3600, *table), Market("M", tick=scale / 4))
        outcome = run(make_plan(check(SIGNALS + "stop 1%"), data, {}), Account(capital=1e12))
        assert len(outcome.trades) == 1 and outcome.trades.stop[0] == pytest.approx(99 * scale)


FINE = [bar(100, 1), bar(100)] + [(100, 103, 100, 103, 0), (103, 103, 97, 97, 0)] + [bar(97)] * 2


@pytest.mark.parametrize(("same_bar", "expected"), [("worst", (98, "stop")), ("detail", (102, "target"))])
def test_detail_looks_into_the_finer_bars(same_bar, expected):
    script = LONG + "stop 2 points\ntarget 2 points\n"
    plan = plan_of(FINE, script, minutes=30, timeframe=Timeframe(60))
    found = run(plan, Account(same_bar=same_bar))
    assert trades(found)[0][4:] == expected
    assert found.trades.ambiguous.tolist() == [same_bar == "worst"]


def test_detail_without_finer_bars_is_worst():
    bars = [BUY, (100, 103, 97, 100, 0), STILL]
    script = LONG + "stop 2 points\ntarget 2 points\n"
    assert trades(go(bars, script, Account(same_bar="detail"))) == trades(go(bars, script, Account()))


def test_markets_on_one_account_are_of_one_timeframe():
    plans = [plan_of([BUY, STILL], LONG), plan_of([BUY, STILL, STILL, STILL], LONG, minutes=30, symbol="N")]
    with pytest.raises(SettingsError, match="one timeframe"):
        run_basket(plans, Account())


def with_rate(rates, script):
    """The outcome in a market whose currency is worth the closes of another market."""
    time = START + np.arange(len(rates), dtype=np.int64) * 3600
    column = np.array(rates, float)
    other = make_dataset(
        Bars(Timeframe(60), time, column, column, column, column, np.ones(column.size)), Market("RATE")
    )
    prices = np.array([bar(100, 1), bar(100), bar(110), bar(120)], float).T
    dataset = make_dataset(
        Bars(Timeframe(60), time, *prices), Market("M", currency_rate="RATE"), others=lambda *_: other
    )
    checked = check(script)
    return run(make_plan(checked, dataset, {}), Account(1_000, leverage=10))


def test_profit_is_worth_what_the_rate_is_then():
    found = with_rate([1.0, 1.0, 2.0, 0.5], LONG)
    # Marked at the close of each bar by its rate; closed at the last close, worth half.
    assert found.equity.tolist() == [1_000, 1_000, 1_020, 1_010]
    assert found.trades.gross.tolist() == [10]


def test_sizes_and_distances_in_cash_use_the_rate():
    found = with_rate([2.0, 2.0, 2.0, 2.0], "enter long when volume == 1\nsize 400 cash\nstop 30 cash\n")
    assert units(found) == [2]
    assert found.trades.stop.tolist() == [85]


def test_a_rate_that_is_not_known_is_refused():
    time = START + np.arange(3, dtype=np.int64) * 3600
    late = np.ones(1)
    other = make_dataset(Bars(Timeframe(60), time[2:], late, late, late, late, late), Market("RATE"))
    prices = np.array([BUY, SELL, MARK], float).T
    dataset = make_dataset(
        Bars(Timeframe(60), time, *prices), Market("M", currency_rate="RATE"), others=lambda *_: other
    )
    with pytest.raises(SettingsError, match="currency rate of M, the close of RATE, is not known"):
        make_plan(check(LONG), dataset, {})


def test_runs_that_share_a_pool_are_the_runs_that_do_not():
    pool = Pool()
    many = [(100, 101, 99, 100, 1 + i % 2) for i in range(5_000)]
    for bars in ([BUY, STILL, STILL], many, [STILL, SELL, STILL, STILL], many[:70]):
        plan = plan_of(bars, SIGNALS + "stop 3 points\nlimit 2 open")
        shared, alone = run(plan, Account(), pool), run(plan, Account())
        assert shared.trades.rows.tobytes() == alone.trades.rows.tobytes()
        np.testing.assert_array_equal(shared.equity, alone.equity)
        np.testing.assert_array_equal(shared.skips, alone.skips)
