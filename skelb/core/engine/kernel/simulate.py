# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""The simulation: one pass over the bars, moment by moment, in the order the engine page gives."""

from pathlib import Path

from skelb.core.catalogue import conditions
from skelb.core.engine import words
from skelb.core.engine.kernel.along import bar_at, bars_of, market_of, write_equity
from skelb.core.engine.kernel.judge import judge
from skelb.core.engine.kernel.moments import close_bar, inside_bar, mark, open_bar, ruin
from skelb.core.engine.kernel.money import held_now
from skelb.core.engine.kernel.places import account_of, market_at, rules_of
from skelb.core.engine.kernel.quiet import busy_bars, pass_quiet_bars, ruin_line, watch_of
from skelb.core.plan import columns, steps
from skelb.core.spanning import inlined, kept


@inlined
def run_moment(begin, stop, alone, in_full, watch, run, series):
    """One moment of all markets: their opens, their bars' insides, their closes, then their rules."""
    account = account_of(run)
    count = busy_bars(begin, stop, alone, watch, run, series)
    for n in range(count):
        i = series.busy[n]
        open_bar(i, market_of(i, alone, run, series), run, series)
    for n in range(count):
        i = series.busy[n]
        inside_bar(i, in_full, market_of(i, alone, run, series), run, series)
    for place in range(begin, stop):
        i = bar_at(place, alone, series)
        mark(i, market_of(i, alone, run, series), run, series)
    profit, margin = held_now(run)
    if account.cash + profit <= ruin_line(account, margin):
        ruin(run, series)
        write_equity(begin, stop, alone, account.cash, series)
        return
    for n in range(count):
        i = series.busy[n]
        close_bar(i, market_of(i, alone, run, series), run, series)
    equity = account.cash + (held_now(run)[0] if count > 0 else profit)
    write_equity(begin, stop, alone, equity, series)
    for n in range(count):
        i = series.busy[n]
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
        run_moment(begin, stop, alone, in_full, watch, run, series)
        moment += 1
    account.moment = moment
    return moment
