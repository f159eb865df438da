"""Cases that can be followed with a pencil: a few bars, a script, the trades it must make.

Every case has bars as (open, high, low, close), one an hour from 2 Jan 2024 09:00 UTC; a bar that must signal has a
volume of 1, the others 0, so that `volume == 1` is the signal of a long and `volume == 2` that of a short.
"""

import numpy as np
import pytest

from skelb.core.bars import Bars, Commission, Market, Timeframe
from skelb.core.engine import SKIP_REASONS, Account, kernel, run
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan

SIGNALS = "enter long when volume == 1\nenter short when volume == 2\nsize 1 units\n"
START = 1_704_186_000


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
    prices = zip(of.column(kernel.TF_ENTRY_PRICE), of.column(kernel.TF_EXIT_PRICE), strict=True)
    return [
        (int(of.entry_bar[row]), int(of.exit_bar[row]), "long" if of.side[row] > 0 else "short", float(entry), float(leave), outcome.exit_reason(row))
        for row, (entry, leave) in enumerate(prices)
    ]  # fmt: skip


def skips(outcome):
    return [(int(bar), SKIP_REASONS[int(reason)]) for bar, _, reason, *_ in outcome.skips]


BUY = (100, 101, 99, 100, 1)
SELL = (100, 101, 99, 100, 2)
STILL = (100, 101, 99, 100, 0)


def test_a_signal_enters_at_the_next_open_and_the_end_closes():
    outcome = go([BUY, (102, 103, 101, 102.5, 0), (103, 104, 102, 103, 0)], SIGNALS)
    assert trades(outcome) == [(1, 2, "long", 102, 103, "end of data")]
    assert outcome.equity.tolist() == [10_000, 10_000.5, 10_001]


def test_a_signal_on_the_last_bar_leads_nowhere():
    assert trades(go([STILL, BUY], SIGNALS)) == []


@pytest.mark.parametrize(
    ("bars", "expected"),
    [
        pytest.param([BUY, (100, 101, 98, 100, 0), STILL], (1, 1, "long", 100, 98, "stop"), id="on the entry bar"),
        pytest.param([BUY, STILL, (97, 99.5, 96, 98, 0)], (1, 2, "long", 100, 97, "stop"), id="gap fills at the open"),
        pytest.param([BUY, STILL, (100, 104, 99, 103, 0)], (1, 2, "long", 100, 104, "target"), id="target touched"),
        pytest.param([BUY, STILL, (106, 107, 105, 106, 0)], (1, 2, "long", 100, 106, "target"), id="target gap fills better"),
        pytest.param([BUY, STILL, (100, 105, 97, 100, 0)], (1, 2, "long", 100, 98, "stop"), id="both: worst"),
        pytest.param([SELL, (100, 102, 99, 100, 0), STILL], (1, 1, "short", 100, 102, "stop"), id="short, entry bar"),
        pytest.param([SELL, STILL, (100, 101, 96, 97, 0)], (1, 2, "short", 100, 96, "target"), id="short target"),
    ],
)  # fmt: skip
def test_stop_and_target_inside_the_bar(bars, expected):
    assert trades(go(bars, SIGNALS + "stop 2 points\ntarget 4 points"))[0] == expected


@pytest.mark.parametrize(
    ("bar", "reason"),
    [
        pytest.param((100, 105, 97, 100, 0), "stop", id="low nearer: stop first"),
        pytest.param((100, 104, 95, 100, 0), "target", id="high nearer: target first"),
        pytest.param((100, 104, 96, 100, 0), "stop", id="equally near: the low first"),
    ],
)
def test_the_path_policy_goes_to_the_nearer_extreme_first(bar, reason):
    outcome = go([BUY, STILL, bar], SIGNALS + "stop 2 points\ntarget 4 points", Account(same_bar="path"))
    assert trades(outcome)[0][5] == reason
    assert outcome.trades.ambiguous.tolist() == [True]


@pytest.mark.parametrize(
    ("mode", "expected"),
    [
        ("reverse", [(1, 3, "long", 100, 100, "reverse"), (3, 4, "short", 100, 100, "end of data")]),
        ("exit", [(1, 3, "long", 100, 100, "reverse")]),
        ("ignore", [(1, 4, "long", 100, 100, "end of data")]),
    ],
)
def test_what_an_opposite_signal_does(mode, expected):
    assert trades(go([BUY, STILL, SELL, STILL, STILL], SIGNALS + f"opposite {mode}")) == expected


def test_a_repeated_signal_does_not_stack():
    assert len(trades(go([BUY, BUY, BUY, STILL, STILL], SIGNALS))) == 1


def test_an_exit_rule_goes_before_an_entry_of_its_side():
    outcome = go([BUY, STILL, BUY, STILL, STILL], SIGNALS + 'exit long when bar == 2 named "out"')
    assert trades(outcome) == [(1, 3, "long", 100, 100, "out")]


def test_both_sides_at_once_while_flat_is_neither():
    script = "enter long when volume == 1\nenter short when volume == 1\nsize 1 units"
    outcome = go([BUY, STILL, STILL], script)
    assert trades(outcome) == [] and skips(outcome) == [(0, "both sides"), (0, "both sides")]


def test_held_for_n_bars_counting_the_entry_bar():
    assert trades(go([BUY, STILL, STILL, STILL, STILL], SIGNALS + "exit after 2 bars")) == [
        (1, 3, "long", 100, 100, "time")
    ]


def test_windows_stop_entries_and_never_exits():
    # Closes are at 10:00, 11:00, 12:00, …; the start counts, the end does not.
    outcome = go([BUY, BUY, STILL, BUY, STILL], SIGNALS + "window 11:00-12:00\nexit when bar == 3")
    assert trades(outcome) == [(2, 4, "long", 100, 100, "bar == 3")]
    assert skips(outcome) == [(0, "window")]


def test_flat_at_a_time_leaves_at_the_first_open_from_then_on():
    outcome = go([BUY, STILL, STILL, BUY, STILL], SIGNALS + "flat at 11:30")
    assert trades(outcome) == [(1, 3, "long", 100, 100, "flat")]
    assert skips(outcome) == [(3, "flat")]


def test_flat_at_session_end_leaves_at_the_close_that_reaches_it():
    outcome = go([BUY, STILL, (100, 101, 99, 100.5, 1), STILL], SIGNALS + "flat at session end", session="09:00-12:00")
    assert trades(outcome) == [(1, 2, "long", 100, 100.5, "flat")]


def test_percent_ticks_cash_and_prices_as_levels():
    bars = [BUY, (100, 101, 99, 100, 0), STILL]
    for rule, level in (("2%", 98), ("6 ticks", 98.5), ("30 cash", 98.5), ("at 97.3", 97.25), ("1.3 points", 98.75)):
        outcome = go(bars, SIGNALS + f"stop {rule}", Account(capital=1e6), point_value=20)
        assert outcome.trades.column(kernel.TF_STOP).tolist() == [level], rule


def test_the_nearest_of_several_stops_counts_and_sides_replace():
    outcome = go([BUY, STILL, STILL], SIGNALS + "stop 3%\nstop 2 points\nstop short 1%")
    assert outcome.trades.column(kernel.TF_STOP).tolist() == [98]


@pytest.mark.parametrize(
    ("script", "reason"),
    [
        ("stop at 100", "beyond stop"), ("target at 100", "beyond target"), ("stop 0 points", "beyond stop"),
        ("stop prior(range, 5)", "unknown level"), ("stop 1 / 0", "unknown level"),
    ],
)  # fmt: skip
def test_entries_that_do_not_happen_at_their_fill(script, reason):
    outcome = go([BUY, STILL, STILL], SIGNALS + script)
    assert trades(outcome) == [] and skips(outcome) == [(1, reason)]


def test_a_refused_reversal_still_exits():
    outcome = go([BUY, STILL, SELL, STILL, STILL], SIGNALS + "stop short at 100")
    assert trades(outcome) == [(1, 3, "long", 100, 100, "reverse")] and skips(outcome) == [(3, "beyond stop")]


@pytest.mark.parametrize(
    ("size", "units"),
    [
        ("3 units", 3),
        ("500 cash", 5),
        ("50% of equity", 50),
        ("risk 1% of equity", 50),
        ("risk 40 cash", 20),
        ("risk 1% of equity max 7 units", 7),
    ],
)
def test_sizes(size, units):
    script = f"enter long when volume == 1\nstop 2 points\nsize {size}"
    assert go([BUY, STILL, STILL], script).trades.column(kernel.TF_UNITS).tolist() == [units]


def test_margin_cuts_or_skips_and_lots_round_down():
    script = "enter long when volume == 1\nsize 250 units"
    assert go([BUY, STILL, STILL], script, lot_step=30.0, min_lot=30.0).trades.column(kernel.TF_UNITS).tolist() == [90]
    assert skips(go([BUY, STILL, STILL], script, Account(short_of_margin="skip"))) == [(1, "margin")]
    assert skips(go([BUY, STILL, STILL], script, Account(capital=50), lot_step=1.0, min_lot=1.0)) == [
        (1, "lot too small")
    ]
    assert go([BUY, STILL, STILL], script, Account(leverage=4)).trades.column(kernel.TF_UNITS).tolist() == [250]


def test_every_cost_stands_apart_and_adds_up():
    fees = Commission(percent=0.1, per_unit=0.5, per_order=1, minimum=0)
    outcome = go(
        [BUY, STILL, STILL],
        SIGNALS.replace("1 units", "2 units"),
        Account(commission=fees, slippage_ticks=1),
        spread=0.5,
    )
    of = {
        name: outcome.trades.column(getattr(kernel, f"TF_{name}"))[0]
        for name in ("GROSS", "COMMISSION", "SPREAD", "SLIPPAGE", "NET", "ENTRY_PRICE", "EXIT_PRICE")
    }
    assert (of["ENTRY_PRICE"], of["EXIT_PRICE"]) == (100.5, 99.5)  # half the spread and one tick against you, both ways
    assert (of["GROSS"], of["SPREAD"], of["SLIPPAGE"]) == (0, 1, 1)
    assert of["COMMISSION"] == pytest.approx(0.001 * 2 * (100.5 + 99.5) + 2 * 0.5 * 2 + 2)
    assert of["NET"] == pytest.approx(-2 - of["COMMISSION"])


def test_targets_pay_no_slippage_and_stops_do():
    account = Account(slippage_ticks=2)
    hit = go([BUY, STILL, (100, 104.5, 99, 103, 0)], SIGNALS + "target at 104", account)
    lost = go([BUY, STILL, (100, 101, 97, 98, 0)], SIGNALS + "stop at 98", account)
    assert (trades(hit)[0][4], trades(lost)[0][4]) == (104, 97.5)


def test_bid_prices_buy_a_spread_higher():
    outcome = go([BUY, STILL, STILL], SIGNALS, spread=0.5, quotes="bid")
    assert trades(outcome)[0][3:5] == (100.5, 100)


def test_financing_is_paid_each_night_and_thrice_on_the_triple_day():
    day = [(100, 101, 99, 100, 1)] + [(100, 101, 99, 100, 0)] * 23
    outcome = go(day * 3 + [STILL] * 2, SIGNALS, session="00:00-24:00", financing_long=3.65, triple_day="wed")
    # In from Tuesday 10:00 to Friday: the nights after Tuesday, Wednesday (thrice) and Thursday.
    assert outcome.trades.column(kernel.TF_FINANCING)[0] == pytest.approx(100 * 0.0365 / 365 * 5)


def test_ruin_ends_the_run():
    script = "enter long when volume == 1\nsize 200% of equity"
    outcome = go([BUY, STILL, (100, 100, 40, 40, 0), BUY, STILL, STILL], script, Account(leverage=2))
    assert outcome.is_ruined and trades(outcome) == [(1, 2, "long", 100, 40, "ruin")]
    assert (outcome.equity[2:] == -2_000).all()


def test_no_capital_is_ruin_from_the_start():
    outcome = go([BUY, STILL, STILL], SIGNALS, Account(capital=0))
    assert outcome.is_ruined and trades(outcome) == []


def test_best_and_worst_points_are_from_the_mids():
    outcome = go([BUY, (100, 103, 99, 100, 0), (100, 108, 97, 104, 0), STILL], SIGNALS + "exit when bar == 2")
    assert (outcome.trades.column(kernel.TF_BEST)[0], outcome.trades.column(kernel.TF_WORST)[0]) == (8, -3)


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
        assert len(outcome.trades) == 1 and outcome.trades.column(kernel.TF_STOP)[0] == pytest.approx(99 * scale)


# --- orders that fill at the close, or rest -------------------------------------------------------------------

LIMIT = (
    "enter long when volume == 1 at limit close - 2\nenter short when volume == 2 at limit close + 2\nsize 1 units\n"
)
STOPS = "enter long when volume == 1 at stop close + 2\nenter short when volume == 2 at stop close - 2\nsize 1 units\n"


def test_an_entry_at_the_close_fills_there_and_its_bar_is_the_next():
    outcome = go(
        [BUY, (100, 101, 99, 100, 0), (103, 104, 102, 103, 0)],
        SIGNALS.replace("== 1", "== 1 at close") + "stop 1 points\nexit after 1 bars",
    )
    assert trades(outcome) == [(1, 1, "long", 100, 99, "stop")]  # the low of the next bar, never that of its own
    assert int(outcome.entry_times()[0]) == START + 3600


@pytest.mark.parametrize(
    ("script", "bars", "expected"),
    [
        pytest.param(LIMIT, [BUY, (100, 101, 98, 99, 0), STILL], [(1, 2, "long", 98, 100, "end of data")], id="limit touched"),
        pytest.param(LIMIT, [BUY, (97, 98, 96, 97, 0), STILL], [(1, 2, "long", 97, 100, "end of data")], id="limit passed at the open fills better"),
        pytest.param(LIMIT, [BUY, STILL, (100, 101, 97, 98, 0), STILL], [], id="one bar is all it has"),
        pytest.param(STOPS, [BUY, (100, 102, 99, 101, 0), STILL], [(1, 2, "long", 102, 100, "end of data")], id="stop touched"),
        pytest.param(STOPS, [BUY, (104, 105, 103, 104, 0), STILL], [(1, 2, "long", 104, 100, "end of data")], id="stop passed at the open fills worse"),
        pytest.param(STOPS, [SELL, (100, 101, 98, 99, 0), STILL], [(1, 2, "short", 98, 100, "end of data")], id="short stop"),
    ],
)  # fmt: skip
def test_a_resting_entry_fills_where_it_is_touched(script, bars, expected):
    assert trades(go(bars, script)) == expected


def test_an_order_rests_for_as_many_bars_as_it_says_and_then_expires():
    script = LIMIT.replace("close - 2", "close - 2 for 2 bars")
    dip = (100, 101, 97, 99, 0)
    assert trades(go([BUY, STILL, dip, STILL], script)) == [(2, 3, "long", 98, 100, "end of data")]
    outcome = go([BUY, STILL, STILL, dip, STILL], script)
    assert trades(outcome) == [] and skips(outcome) == [(2, "expired")]


def test_a_new_signal_of_the_same_rule_takes_the_old_orders_place():
    bars = [BUY, (96, 97, 95.5, 96.5, 1), (96, 96.5, 94, 95, 0), STILL]
    script = LIMIT.replace("close - 2", "close - 4 for 3 bars")
    assert trades(go([BUY, (100, 101, 97, 99, 1), (99, 100, 95, 96, 0), STILL], script)) == [
        (2, 3, "long", 95, 100, "end of data")
    ]
    assert trades(go(bars, script))[0][3] == 96  # the first bar's price lay above that open, so it filled there


def test_a_resting_entrys_stop_counts_for_its_bar_and_its_target_only_by_the_close():
    script = LIMIT + "stop 1 points\ntarget 2 points"
    stopped = go([BUY, (100, 103, 97, 102, 0), STILL], script)
    assert trades(stopped) == [(1, 1, "long", 98, 97, "stop")] and stopped.trades.ambiguous.tolist() == [True]
    assert trades(go([BUY, (100, 103, 97.5, 101, 0), STILL], script)) == [(1, 1, "long", 98, 100, "target")]
    # Touched, perhaps before the fill: the target waits for the next bar, whose open has it.
    assert trades(go([BUY, (100, 103, 97.5, 99, 0), STILL], script)) == [(1, 2, "long", 98, 100, "target")]


def test_of_both_sides_touched_only_the_one_for_which_the_close_is_worse():
    script = (
        "enter long when bar == 0 at stop 102 for 3 bars\nenter short when bar == 1 at stop 98 for 3 bars\nsize 1 units"
    )
    assert trades(go([STILL, STILL, (100, 103, 97, 99, 0), STILL], script))[0][:4] == (2, 3, "long", 102)
    assert trades(go([STILL, STILL, (100, 103, 97, 101, 0), STILL], script))[0][:4] == (2, 3, "short", 98)


def test_a_flat_time_ends_resting_orders():
    script = LIMIT.replace("close - 2", "close - 2 for 9 bars") + "flat at 10:00"
    outcome = go([BUY, (100, 101, 97, 99, 0), STILL], script)
    assert trades(outcome) == [] and skips(outcome)[-1] == (0, "flat")


# --- protection that moves ------------------------------------------------------------------------------------


def test_a_trail_follows_the_best_price_from_the_next_bar_on():
    bars = [BUY, (100, 104, 101, 103, 0), (103, 106, 103, 105, 0), (105, 105, 103, 104, 0), STILL]
    assert trades(go(bars, SIGNALS + "trail 3 points")) == [(1, 3, "long", 100, 103, "trail")]
    assert go(bars, SIGNALS + "trail 3 points").trades.column(kernel.TF_STOP)[0] == 97  # it is the first stop too
    assert trades(go(bars, SIGNALS + "stop 1 points\ntrail 3 points once 5 points"))[0] == (
        1,
        3,
        "long",
        100,
        103,
        "trail",
    )
    assert trades(go(bars, SIGNALS + "stop 1 points\ntrail 3 points once 7 points"))[0][5] == "stop"


def test_a_trail_at_a_price_only_tightens():
    bars = [BUY, (100, 104, 100, 103, 0), (103, 104, 99.5, 102, 0), (102, 103, 99.5, 101, 0), STILL]
    outcome = go(bars, SIGNALS + "stop 5 points\ntrail at low - 0.5")
    assert trades(outcome) == [(1, 2, "long", 100, 99.5, "trail")]


def test_break_even_holds_from_the_bar_after():
    bars = [BUY, (100, 102, 99, 101, 0), (101, 101.5, 100, 101, 0), STILL]
    assert trades(go(bars, SIGNALS + "stop 5 points\nbreakeven once 2 points plus 1 ticks"))[0] == (
        1,
        2,
        "long",
        100,
        100.25,
        "breakeven",
    )
    assert trades(go(bars, SIGNALS + "stop 5 points\nbreakeven once 0.5 R"))[0][5] == "end of data"


# --- limits, pauses, days -------------------------------------------------------------------------------------


def test_entries_a_day_are_counted_by_fills():
    out = "exit after 1 bars\n"
    outcome = go([BUY, STILL, BUY, STILL, BUY, STILL], SIGNALS + out + "limit 2 entries per day")
    assert len(trades(outcome)) == 2 and skips(outcome) == [(4, "limit")]


def test_losses_a_day_end_the_day():
    fall = (100, 100, 98, 98, 0)
    outcome = go([BUY, fall, BUY, STILL, STILL], SIGNALS + "stop 1 points\nlimit 1 losses per day")
    assert len(trades(outcome)) == 1 and skips(outcome) == [(2, "limit")]


def test_a_lost_day_lets_no_entry_in_even_when_it_recovers():
    script = SIGNALS.replace("1 units", "100 units") + "exit after 1 bars\nlimit loss 1% per day"
    outcome = go([BUY, (100, 100, 98, 98, 0), (100, 101, 99, 100, 1), STILL, STILL], script)
    assert outcome.equity[1] == 9800 and skips(outcome) == [(2, "limit")]


@pytest.mark.parametrize(("after", "count"), [("stop", 2), ("loss", 2), ("exit", 2), ("stop", 1)])
def test_a_pause_counts_from_the_bar_of_the_exit(after, count):
    fall = (100, 100, 98, 98, 1)  # the signal on the very bar of the stop is held back too
    bars = [BUY, fall, BUY, BUY, STILL, STILL]
    outcome = go(bars, SIGNALS + f"stop 1 points\npause {count} bars after {after}")
    assert skips(outcome)[:count] == [(bar, "pause") for bar in range(1, 1 + count)]
    assert trades(outcome)[1][0] == 2 + count


def test_days_are_counted_by_trading_days():
    bars = [BUY, *[STILL] * 70]  # from 09:00: 15 bars to midnight, then 24 a day
    assert trades(go(bars, SIGNALS + "exit after 2 days"))[0] == (1, 39, "long", 100, 100, "time")
    assert trades(go(bars, SIGNALS + "exit after 2 days at close"))[0] == (1, 38, "long", 100, 100, "time")


def test_dates_and_zones_bound_entries():
    bars = [BUY, STILL, *[STILL] * 20, BUY, STILL, STILL]
    assert trades(go(bars, SIGNALS + "dates 2024-01-03 to 2024-01-05"))[0][0] == 23
    # 10:00 UTC is 15:30 in Kolkata.
    assert len(trades(go([BUY, STILL, STILL], SIGNALS + 'zone "Asia/Kolkata"\nwindow 15:00-16:00'))) == 1
    assert skips(go([BUY, STILL, STILL], SIGNALS + 'zone "Asia/Kolkata"\nwindow 09:00-15:00')) == [(0, "window")]
    assert trades(go([BUY, STILL, STILL, STILL], SIGNALS + 'zone "Asia/Kolkata"\nflat at 16:30'))[0][:2] == (1, 2)


def test_percent_distances_hold_at_negative_prices():
    bars = [(-50, -49, -51, -50, 1), (-50, -49, -51, -50, 0), (-50, -49, -54, -53, 0), (-50, -49, -51, -50, 0)]
    script = "enter long when volume == 1\nsize 1 units\nstop 4%\ntarget 20%"
    assert trades(go(bars, script))[0][4:] == (-52, "stop")
