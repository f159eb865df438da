# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""The simulation: one pass over the bars, moment by moment, in the order the engine page gives."""

from pathlib import Path

import numpy as np

from skelb.core.catalogue import conditions
from skelb.core.engine import words
from skelb.core.engine.kernel.judge import judge
from skelb.core.engine.kernel.moments import close_bar, inside_bar, mark, open_bar, ruin
from skelb.core.engine.kernel.money import margin_held, open_profit
from skelb.core.engine.kernel.places import account_of, market_at, rules_of
from skelb.core.engine.kernel.quiet import pass_quiet_bars, ruin_line, watch_of
from skelb.core.plan import columns, steps
from skelb.core.spanning import inlined, kept


@inlined
def bar_at(place, alone, series):
    """The bar at a place of a moment."""
    return place if alone else series.order[place]


@inlined
def market_of(i, alone, run, series):
    """The market of bar i."""
    return market_at(0 if alone else series.market_of[i], run)


@inlined
def bars_of(moment, alone, series):
    """Begin and end of a moment's bars, in `series.order` where there are several markets."""
    if alone:
        return moment, moment + 1
    return np.int64(0) if moment == 0 else series.ends[moment - 1], series.ends[moment]


@inlined
def write_equity(begin, stop, alone, equity, series):
    """The account's equity at all bars of a moment."""
    for place in range(begin, stop):
        series.equity[bar_at(place, alone, series)] = equity


@inlined
def run_moment(begin, stop, alone, in_full, run, series):
    """One moment of all markets: their opens, their bars' insides, their closes, then their rules."""
    account = account_of(run)
    for place in range(begin, stop):
        i = bar_at(place, alone, series)
        open_bar(i, market_of(i, alone, run, series), run, series)
    for place in range(begin, stop):
        i = bar_at(place, alone, series)
        inside_bar(i, in_full, market_of(i, alone, run, series), run, series)
    for place in range(begin, stop):
        i = bar_at(place, alone, series)
        mark(i, market_of(i, alone, run, series), run, series)
    if account.cash + open_profit(run) <= ruin_line(account, margin_held(run)):
        ruin(run, series)
        write_equity(begin, stop, alone, account.cash, series)
        return
    for place in range(begin, stop):
        i = bar_at(place, alone, series)
        close_bar(i, market_of(i, alone, run, series), run, series)
    equity = account.cash + open_profit(run)
    write_equity(begin, stop, alone, equity, series)
    for place in range(begin, stop):
        i = bar_at(place, alone, series)
        market = market_of(i, alone, run, series)
        if i != market.last:
            judge(i, equity, market, run, series)


@kept(str(Path(__file__).parent), words.__file__, columns.__file__, steps.__file__, conditions.__file__)
def simulate(until, last, most_events, run, series):
    """Run from the account's moment to the one before `until`, or to the last; returns the next moment to run.

    The run can be gone on with: all state is in `run`, and when the ledger is full, or at the moment it was asked to
    stop before, it returns the moment it has come to. `most_events` are the most trades, and the most skipped orders,
    that one moment can bring. `series.equity`, float64 (n,), is written at every bar run. For one market moments are
    bar numbers; the state must have been laid out by engine.memory.
    """
    account = account_of(run)
    alone = rules_of(run).markets == 1
    only = market_at(0, run)
    watch = watch_of(only, run)
    in_full = rules_of(run).orders > 0 or rules_of(run).room > 1 or rules_of(run).parts > 0 or account.in_detail != 0
    moment = account.moment
    end = min(until, last + 1)
    while moment < end:
        if account.is_ruined:
            begin, stop = bars_of(moment, alone, series)
            write_equity(begin, stop, alone, account.cash, series)
            moment += 1
            continue
        if alone:
            moment = pass_quiet_bars(moment, min(last, end), watch, only, run, series)
            if moment >= end:
                break
        if account.trades + most_events > series.trades.size or account.skips + most_events > series.skips.size:
            break
        begin, stop = bars_of(moment, alone, series)
        run_moment(begin, stop, alone, in_full, run, series)
        moment += 1
    account.moment = moment
    return moment
