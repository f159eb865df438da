"""Cases to follow with a pencil: several lots, parts, exits that rest, finer bars, several markets, currency rates.

Bars and signals as in test_engine_cases: volume 1 signals a long, 2 a short, 3 whatever the case says.
"""

import numpy as np
import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account, kernel, run, run_basket
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan
from tests.core.test_engine_cases import BUY, SELL, START, STILL, go, plan_of, skips, trades

LONG = "enter long when volume == 1\nsize 1 units\n"
MARK = (100, 101, 99, 100, 3)


def units(outcome):
    return outcome.trades.column(kernel.TF_UNITS).tolist()


def bar(price, volume=0):
    """A bar that does not move."""
    return (price, price, price, price, volume)


# --- several lots ---------------------------------------------------------------------------------------------------


def test_without_a_limit_a_second_signal_does_nothing():
    assert trades(go([BUY, bar(100, 1), bar(101), bar(102)], LONG)) == [(1, 3, "long", 100, 102, "end of data")]


def test_every_entry_is_a_lot_with_its_own_stop():
    script = LONG + "limit 2 open\nstop 3 points\n"
    found = go([bar(100, 1), bar(102, 1), bar(106), (106, 106, 102, 104, 0), bar(104)], script)
    # Entered at 102 (stop 99) and 106 (stop 103): only the second stop lies in the fourth bar.
    assert trades(found) == [(2, 3, "long", 106, 103, "stop"), (1, 4, "long", 102, 104, "end of data")]


def test_there_is_no_room_beyond_the_limit():
    found = go([bar(100, 1), bar(100, 1), bar(100, 1), bar(100, 1), bar(100)], LONG + "limit 2 open\n")
    assert [(entry, leave) for entry, leave, *_ in trades(found)] == [(1, 4), (2, 4)]


def test_exit_rules_close_all_lots_the_oldest_first():
    script = LONG + "limit 3 open\nexit long when volume == 3\n"
    found = go([bar(100, 1), bar(101, 1), bar(102, 3), bar(105), bar(105)], script)
    assert [(t[0], t[1], t[4]) for t in trades(found)] == [(1, 3, 105), (2, 3, 105)]


def test_time_exits_count_the_oldest_lot():
    script = LONG + "limit 2 open\nexit after 2 bars\n"
    found = go([bar(100, 1), bar(100, 1), bar(100), bar(100), bar(100)], script)
    assert [(t[0], t[1], t[5]) for t in trades(found)] == [(1, 3, "time"), (2, 3, "time")]


def test_an_opposite_signal_leaves_all_lots_and_enters_one():
    script = LONG + "enter short when volume == 2\nlimit 2 open\n"
    found = go([bar(100, 1), bar(100, 1), bar(100, 2), bar(101), bar(102)], script)
    assert [(t[0], t[1], t[2], t[5]) for t in trades(found)] == [
        (1, 3, "long", "reverse"), (2, 3, "long", "reverse"), (3, 4, "short", "end of data"),
    ]  # fmt: skip


def test_the_size_of_a_second_lot_counts_the_open_profit_of_the_first():
    script = "enter long when volume == 1\nsize 50% of equity\nlimit 2 open\n"
    found = go([bar(100, 1), bar(100, 1), bar(200), bar(200)], script, Account(1_000, leverage=10))
    # 5 units at 100; at the close before the second fill nothing was won yet, so 50 % of 1,000 buys 2.5 at 200.
    assert units(found) == [5, 2.5]
    later = go([bar(100, 1), bar(100), bar(200, 1), bar(200), bar(200)], script, Account(1_000, leverage=10))
    assert units(later) == [5, 3.75]  # 50 % of 1,500


def test_margin_is_that_of_all_lots():
    script = "enter long when volume == 1\nsize 8 units\nlimit 2 open\n"
    found = go([bar(100, 1), bar(100, 1), bar(100), bar(100)], script, Account(1_000))
    assert units(found) == [8, 2]
    refused = go([bar(100, 1), bar(100, 1), bar(100), bar(100)], script, Account(1_000, short_of_margin="skip"))
    assert (units(refused), skips(refused)) == ([8], [(2, "margin")])


def test_two_rules_that_are_yes_at_once_both_enter_where_there_is_room():
    script = (
        'enter long when volume == 1 size 1 units named "a"\n'
        'enter long when volume > 0 size 2 units named "b"\nlimit 2 open\n'
    )
    assert units(go([bar(100, 1), bar(100), bar(100)], script)) == [1, 2]


# --- parts ----------------------------------------------------------------------------------------------------------


def test_targets_take_parts_of_the_original_units_and_each_is_a_trade():
    script = "enter long when volume == 1\nsize 10 units\ntarget 2 points for 50%\ntarget 4 points for 30%\n"
    found = go([bar(100, 1), (100, 102, 100, 102, 0), (102, 104, 102, 104, 0), bar(103)], script)
    assert [(t[1], t[4], t[5]) for t in trades(found)] == [
        (1, 102, "target"), (2, 104, "target"), (3, 103, "end of data"),
    ]  # fmt: skip
    assert units(found) == [5, 3, 2]
    assert found.trades.column(kernel.TF_ENTRY_FEE).sum() == 0


def test_the_part_that_makes_it_whole_takes_what_rounding_left():
    script = "enter long when volume == 1\nsize 3 units\ntarget 2 points for 50%\ntarget 4 points for 50%\n"
    bars = [bar(100, 1), (100, 102, 100, 102, 0), (102, 104, 102, 104, 0), bar(104)]
    assert units(go(bars, script, lot_step=1.0, min_lot=1.0)) == [1, 2]


def test_a_part_too_small_for_a_lot_step_is_not_taken():
    script = "enter long when volume == 1\nsize 1 units\ntarget 2 points for 50%\n"
    bars = [bar(100, 1), (100, 103, 100, 103, 0), bar(103)]
    assert units(go(bars, script, lot_step=1.0, min_lot=1.0)) == [1]


def test_a_stop_in_the_bar_comes_before_the_parts_targets():
    script = "enter long when volume == 1\nsize 2 units\nstop 2 points\ntarget 2 points for 50%\n"
    found = go([bar(100, 1), (100, 103, 97, 100, 0), bar(100)], script)
    assert (trades(found), units(found)) == ([(1, 1, "long", 100, 98, "stop")], [2])
    assert found.trades.ambiguous.tolist() == [True]


def test_costs_are_shared_among_parts():
    from skelb.core.bars import Commission

    script = "enter long when volume == 1\nsize 4 units\ntarget 2 points for 25%\n"
    account = Account(commission=Commission(per_unit=1.0), slippage_ticks=1)
    found = go([bar(100, 1), (100, 102.5, 100, 102, 0), bar(102)], script, account)
    assert units(found) == [1, 3]
    assert found.trades.column(kernel.TF_COMMISSION).tolist() == [2, 6]
    assert found.trades.column(kernel.TF_SLIPPAGE).tolist() == [0.25, 1.5]  # the target slips only at the entry
    assert found.equity[-1] == pytest.approx(10_000 + found.trades.net.sum())


def test_take_closes_a_share_of_the_first_units():
    script = "enter long when volume == 1\nsize 4 units\nexit long when volume == 3 take 50%\n"
    found = go([bar(100, 1), bar(100, 3), bar(101, 3), bar(102), bar(103)], script)
    assert [(t[1], t[4]) for t in trades(found)] == [(2, 101), (3, 102)]
    assert units(found) == [2, 2]


def test_exits_may_be_for_the_lots_of_one_entry():
    script = (
        'enter long when volume == 1 named "first"\nenter long when volume == 2 named "second"\nsize 1 units\n'
        'limit 2 open\nexit long when volume == 3 lots "second"\n'
    )
    found = go([bar(100, 1), bar(101, 2), bar(102, 3), bar(103), bar(104)], script)
    assert [(t[0], t[1]) for t in trades(found)] == [(2, 3), (1, 4)]


# --- exits that rest --------------------------------------------------------------------------------------------------


def test_an_exit_at_a_limit_fills_where_it_is_touched_without_slippage():
    script = LONG + "exit long when volume == 3 at limit 105 for 2 bars\n"
    found = go(
        [bar(100, 1), bar(100, 3), bar(101), (101, 106, 101, 103, 0), bar(103)], script, Account(slippage_ticks=1)
    )
    assert trades(found)[0][1:] == (3, "long", 100.25, 105, "volume == 3")


def test_an_exit_at_a_stop_slips_and_fills_at_the_open_when_it_was_passed():
    script = LONG + "exit long when volume == 3 at stop 98\n"
    found = go([bar(100, 1), bar(100, 3), bar(97), bar(97)], script, Account(slippage_ticks=1))
    assert trades(found)[0][4] == 96.75


def test_an_exit_that_rests_dies_after_its_bars_and_with_the_position():
    script = LONG + "exit long when volume == 3 at limit 105\n"
    found = go([bar(100, 1), bar(100, 3), bar(101), (101, 106, 101, 103, 0), bar(103)], script)
    assert trades(found)[0][5] == "end of data"
    assert skips(found) == []


def test_an_exit_that_rests_does_not_hold_entries_back():
    script = LONG + "exit long when volume > 0 at limit 105\n"
    assert trades(go([bar(100, 1), bar(100), bar(100)], script)) == [(1, 2, "long", 100, 100, "end of data")]


# --- the position in entries and prices -------------------------------------------------------------------------------


def test_entries_may_ask_for_the_position():
    script = "enter long when volume == 1 or close > entry_price + 2\nsize 1 units\nlimit 3 open\n"
    found = go([bar(100, 1), bar(100), bar(103), bar(104), bar(104)], script)
    # The second lot is judged at 103 > 102 and fills at 104; then the average is 102 and 104 is not above 104.
    assert [(t[0], t[3]) for t in trades(found)] == [(1, 100), (3, 104)]


def test_a_trail_at_a_price_of_the_position():
    script = LONG + "trail at entry_price - 1\n"
    found = go([bar(100, 1), bar(100), (100, 100, 98, 99, 0), bar(99)], script)
    assert trades(found) == [(1, 2, "long", 100, 99, "trail")]


# --- finer bars -------------------------------------------------------------------------------------------------------

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


# --- several markets on one account -----------------------------------------------------------------------------------


def basket(scripts_bars, script, account, **markets):
    return run_basket([plan_of(bars, script, symbol=symbol) for symbol, bars in scripts_bars.items()], account)


def test_markets_share_cash_and_margin():
    script = "enter long when volume == 1\nsize 8 units\n"
    first, second = basket(
        {"A": [bar(100, 1), bar(100), bar(100)], "B": [bar(100, 1), bar(100), bar(100)]}, script, Account(1_000)
    )
    assert (units(first), units(second)) == ([8], [2])  # of one moment, the first symbol comes first
    assert first.equity.tolist() == second.equity.tolist() == [1_000, 1_000, 1_000]


def test_the_profit_of_one_market_buys_more_in_another():
    script = "enter long when volume == 1\nsize 100% of equity\n"
    first, second = basket(
        {"A": [bar(100, 1), bar(100), bar(200), bar(200), bar(200)], "B": [bar(50), bar(50), bar(50, 1), bar(50), bar(50)]},
        script, Account(1_000, leverage=10),
    )  # fmt: skip
    assert (units(first), units(second)) == ([10], [40])
    assert first.equity.tolist() == [1_000, 1_000, 2_000, 2_000, 2_000]


def test_the_account_limits_how_many_positions_are_open():
    script = LONG
    first, second = basket(
        {"A": [bar(100, 1), bar(100), bar(100)], "B": [bar(100, 1), bar(100), bar(100)]},
        script,
        Account(max_open_total=1),
    )
    assert (len(first.trades), len(second.trades)) == (1, 0)
    assert skips(second) == [(1, "limit")]


def test_ruin_closes_every_market():
    script = "enter long when volume == 1\nsize 20 units\n"
    first, second = basket(
        {"A": [bar(100, 1), bar(100), bar(40), bar(40, 1), bar(40)], "B": [bar(10, 1), bar(10), bar(10), bar(10, 1), bar(10)]},
        script, Account(1_000, leverage=10),
    )  # fmt: skip
    assert [t[5] for t in trades(first) + trades(second)] == ["ruin", "ruin"]
    assert first.is_ruined and first.equity[-1] == second.equity[-1] == 1_000 - 20 * 60


def test_markets_on_one_account_are_of_one_timeframe():
    plans = [plan_of([BUY, STILL], LONG), plan_of([BUY, STILL, STILL, STILL], LONG, minutes=30, symbol="N")]
    with pytest.raises(SettingsError, match="one timeframe"):
        run_basket(plans, Account())


# --- currency rates ---------------------------------------------------------------------------------------------------


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
    assert found.trades.column(kernel.TF_STOP).tolist() == [85]


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
