"""A strategy that is practised in tests, and its trades held against a backtest over the bars that were taken."""

from dataclasses import replace

import numpy as np

from skelb.core.bars import Bars
from skelb.core.engine import Reason, run_basket
from skelb.core.plan import make_dataset, make_plan
from skelb.service.practice.feeds import Replay
from skelb.service.setup import Setup
from tests.conftest import wave_bars
from tests.service.conftest import wait_for

SCRIPT = """title "Follower"
input n = 8
up = close crosses above sma(close, n)
down = close crosses below sma(close, n)
enter long when up
enter short when down
alert up "up at {close}"
stop 3 * atr(10)
target 5 * atr(10)
size 1 units
"""
SETUP = Setup(text=SCRIPT, market="WAVE", timeframe="15m", account="Plain")
AT_ONCE = Replay(pace=0)


def state_of(application, number):
    return application.practices.store.get(number).state


def followed(application, number):
    """The practice in memory."""
    return application.practices._follower(number)


def ended(application, number):
    follower = followed(application, number)
    wait_for(lambda: not follower.is_at_work)
    assert state_of(application, number) != "running"
    return follower


def taken(application, number):
    """The bars of each market of a practice that were decided on, behind those from before."""
    store, found = application.practices.store, {}
    through = store.get(number).through
    rows = [bar for bar in store.bars(number) if bar.time <= through]
    for symbol, before in store.histories(number, wave_bars(1).timeframe).items():
        own = [bar for bar in rows if bar.market == symbol]
        times = np.array([bar.time for bar in own], np.int64)
        values = np.array([bar.values for bar in own]).reshape(-1, 5).T
        old = (before.open, before.high, before.low, before.close, before.volume)
        joined = [np.concatenate(pair) for pair in zip(old, values, strict=True)]
        found[symbol] = Bars(before.timeframe, np.concatenate((before.time, times)), *joined)
    return found


def wave(application, number):
    """The bars of a practice on the one market."""
    return taken(application, number)["WAVE"]


def backtested(application, number):
    """The trades on each market of a backtest over the bars that were decided on; those the end ends are left out."""
    stored, plans = application.practices.store.get(number), []
    prepared, all_bars = stored.setup.prepared(application.library, application.datasets), taken(application, number)
    for dataset in prepared.datasets:
        bars = all_bars[dataset.market.symbol]
        plan = make_plan(prepared.checked, make_dataset(bars, dataset.market), prepared.inputs)
        first = int(np.searchsorted(plan.dataset.bars.time, stored.since))
        plans.append(replace(plan, first=min(first, len(plan.dataset) - 1)))
    rows = [outcome.trades.rows for outcome in run_basket(plans, prepared.account)]
    return [own[own["reason"] != Reason.END] for own in rows]


def agrees(application, number):
    """Whether trades and events are those of a backtest over the bars that were taken; returns how many trades.

    Where the backtest's bars of one market have come to their end its lots end, which the account feels: of several
    markets the trades until then are compared.
    """
    markets = followed(application, number).following.markets
    bars = taken(application, number)
    end = min(int(own.time[-1]) for own in bars.values()) + (len(markets) == 1)
    for own, its in zip(markets, backtested(application, number), strict=True):
        times = own.plan.dataset.bars.time
        mine = own.trades[times[own.trades["exit_bar"]] < end]
        assert mine.tobytes() == its[times[its["exit_bar"]] < end].tobytes()
    kinds = [item.kind for item in application.practices.store.events(number, limit=100_000)]
    count = sum(own.trades.size for own in markets)
    assert kinds.count("exit") == count
    rows = [(own.closed, own.outcome.trades.rows) for own in markets]
    assert kinds.count("enter") == sum((own["entry_bar"] < closed).sum() for closed, own in rows)
    return count
