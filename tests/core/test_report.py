"""A report's numbers against plain definitions, trade by trade and day by day."""

import math
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from statistics import mean, median, stdev

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account, run, run_basket
from skelb.core.export import trade_rows
from skelb.core.figures import figures_of, record_together
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset, make_plan
from skelb.core.report import FEWEST, Swings, difference_of, excursions_of, numbers_of, spread_of, stretches_of, traded
from tests.conftest import dataset, wave_bars

SCRIPT = """
enter long when close crosses above sma(close, 8)
enter short when close crosses below sma(close, 8)
{stop}
exit after 30 bars
size 2 units
"""
ACCOUNT = Account(capital=5_000, leverage=20)
DAY = 86_400


def outcome_of(stop="stop 2 * atr(5)", size=6000, dates=(None, None), data=None, **market):
    checked = check(SCRIPT.format(stop=stop))
    data = data or dataset(wave_bars(size, 5), zone="Europe/Berlin", **market)
    return run(make_plan(checked, data, input_values(checked, {}), "both", *dates), ACCOUNT)


OUTCOME = outcome_of(spread=0.5)
PART = outcome_of(dates=(date(2024, 1, 20), date(2024, 2, 25)), spread=0.5, financing_long=20.0)
WITHOUT_STOP = outcome_of("")
RUNS = {"whole": OUTCOME, "part": PART, "without a stop": WITHOUT_STOP}


def numbers(outcome):
    return numbers_of([outcome], figures_of(record_together([outcome])), Swings())


def moment(text):
    return datetime.fromisoformat(text.replace("Z", "+00:00"))


def day_of(days):
    return date(1970, 1, 1) + timedelta(days=int(days))


@pytest.fixture(params=RUNS, ids=str)
def outcome(request):
    return RUNS[request.param]


def test_trades_as_columns_are_the_rows_of_the_document(outcome):
    found, rows = traded([outcome]), trade_rows(outcome)
    assert len(found) == len(rows) > 50
    for place, row in enumerate(rows):
        assert found.rules[found.rule[place]] == row["entry_rule"]
        assert found.reasons[found.reason[place]] == row["exit_reason"]
        assert found.side[place] == (1 if row["side"] == "long" else -1)
        assert found.net[place] == row["net"] and found.gross[place] == row["gross"]
        for name, value in (("r", row["r"]), ("best_r", row["best_r"]), ("worst_r", row["worst_r"])):
            assert getattr(found, name)[place] == value or (value is None and math.isnan(getattr(found, name)[place]))
        # Bars of January and February: the clock in Berlin is an hour ahead.
        assert found.entry_hour[place] == (moment(row["entry_time"]) + timedelta(hours=1)).hour


def test_months_and_years_add_up_to_the_run_and_have_no_holes(outcome):
    found, record = numbers(outcome), record_together([outcome])
    rows = trade_rows(outcome)
    calendar = outcome.plan.dataset.calendar
    exits = [day_of(calendar.day[bar]) for bar in outcome.trades.exit_bar]
    for month in found.months:
        own = [
            row
            for row, day in zip(rows, exits, strict=True)
            if (day.year, day.month) == (month["year"], month["month"])
        ]
        assert month["trades"] == len(own)
        assert month["net_profit"] == pytest.approx(sum(row["net"] for row in own), abs=1e-9)
        # Equity, bar by bar, by plain counting.
        days = [day_of(day) for day in record.day_of_points]
        inside = [at for at, day in enumerate(days) if (day.year, day.month) == (month["year"], month["month"])]
        before = record.capital if inside[0] == 0 else record.equity[inside[0] - 1]
        peak, fall = before, 0.0
        for at in inside:
            peak = max(peak, record.equity[at])
            fall = max(fall, peak - record.equity[at])
        assert month["max_drawdown"] == pytest.approx(fall, abs=1e-9)
        assert month["return"] == pytest.approx(record.equity[inside[-1]] / before - 1.0)
    assert sum(year["net_profit"] for year in found.years) == pytest.approx(float(outcome.trades.net.sum()))
    assert sum(month["trades"] for month in found.months) == sum(year["trades"] for year in found.years) == len(rows)
    whole = math.prod(1.0 + month["return"] for month in found.months)
    assert whole == pytest.approx(record.equity[-1] / record.capital)
    steps = [month["year"] * 12 + month["month"] for month in found.months]
    assert steps == list(range(steps[0], steps[-1] + 1))


def test_a_month_without_bars_is_in_the_list():
    data = dataset(wave_bars(6000, 5))
    bars = data.bars
    keep = np.array([datetime.fromtimestamp(t, UTC).month != 2 for t in bars.time.tolist()])
    found = numbers(outcome_of(data=dataset(bars.take(keep))))
    [february] = [month for month in found.months if month["month"] == 2]
    assert february == {"year": 2024, "month": 2, "net_profit": 0.0, "return": None, "max_drawdown": 0.0, "trades": 0}


def test_falls_are_those_of_equity_and_the_drawing_reaches_the_deepest(outcome):
    found, record = numbers(outcome).course, record_together([outcome])
    peaks = np.maximum(np.maximum.accumulate(record.equity), record.capital)
    assert found.falls[0].money == pytest.approx(float((peaks - record.equity).max()))
    assert max(found.drawdown) == pytest.approx(float((100 * (peaks - record.equity) / peaks).max()))
    assert sorted((fall.money for fall in found.falls), reverse=True) == [fall.money for fall in found.falls]
    for fall in found.falls:
        assert fall.peak < fall.bottom and (fall.recovered is None or fall.bottom < fall.recovered)
    assert found.equity[-1] == record.equity[-1] and found.times == sorted(set(found.times))


def test_groups_hold_every_trade_once_and_say_too_few(outcome):
    found, rows = numbers(outcome), trade_rows(outcome)
    results = [row["r"] if found.unit == "R" else row["net"] for row in rows]
    by = {item.by: item.groups for item in found.earned}
    assert {"hour", "weekday", "exit reason", "length"} <= by.keys() and "market" not in by
    for name, groups in by.items():
        if name != "gap before":  # of the first twenty days it is unknown
            assert sum(group.trades for group in groups) == len(rows)
            assert sum(group.net_profit for group in groups) == pytest.approx(sum(row["net"] for row in rows))
    for group in by["exit reason"]:
        own = [result for result, row in zip(results, rows, strict=True) if row["exit_reason"] == group.name]
        assert group.trades == len(own)
        if len(own) < FEWEST:
            assert group.mean is None
        else:
            reach = 1.96 * stdev(own) / len(own) ** 0.5
            assert group.mean == pytest.approx(mean(own))
            assert group.high - group.mean == pytest.approx(group.mean - group.low) and group.high - group.mean > reach


def test_a_gap_is_told_in_mean_ranges_of_the_days_before():
    found, data = traded([OUTCOME]), OUTCOME.plan.dataset
    days = sorted(set(data.calendar.day.tolist()))
    bars = data.bars
    of_day = {day: np.flatnonzero(data.calendar.day == day) for day in days}
    ranges = {day: bars.high[own].max() - bars.low[own].min() for day, own in of_day.items()}
    for place in (0, len(found) // 2, len(found) - 1):
        at = days.index(int(found.entry_day[place]))
        if at < 20:
            assert math.isnan(found.gap[place])
            continue
        opened = bars.open[of_day[days[at]][0]] - bars.close[of_day[days[at - 1]][-1]]
        assert found.gap[place] == pytest.approx(opened / mean(ranges[day] for day in days[at - 20 : at]))


def test_results_are_in_r_only_where_every_trade_had_a_stop():
    assert numbers(OUTCOME).unit == "R" and numbers(WITHOUT_STOP).unit == "money"
    assert sum(numbers(WITHOUT_STOP).excursions.result) == pytest.approx(float(WITHOUT_STOP.trades.net.sum()))


@given(st.lists(st.tuples(*[st.floats(-100, 100)] * 2, st.floats(0, 100)), max_size=40))
def test_a_nearer_stop_ends_what_reached_it_and_nothing_else(trades):
    worst, result, best = (np.array([trade[at] for trade in trades]) for at in range(3))
    worst = -np.abs(worst)
    found = excursions_of(np.arange(worst.size), worst, best, result)
    for nearer in found.stops:
        ended = [value <= -nearer.level for value in worst]
        assert nearer.kept == len(trades) - sum(ended)
        parts = [-nearer.level if end else value for end, value in zip(ended, result, strict=True)]
        assert nearer.total == pytest.approx(sum(parts), abs=1e-6)
    assert [item.level for item in found.targets] == sorted(item.level for item in found.targets)
    assert not found.stops or found.stops[-1].level == pytest.approx(-worst.min())


@given(st.lists(st.floats(-1e6, 1e6), max_size=60))
def test_the_spread_counts_every_result_once_with_nothing_on_both_sides_of_nothing(results):
    values = np.array(results)
    found = spread_of(values, values)
    assert sum(column.count for column in found.columns) == len(results)
    assert all(column.high <= 0 or column.low >= 0 for column in found.columns)
    assert sum(streak.length * (streak.won + streak.lost) for streak in found.streaks) == len(results)
    if results:
        assert found.mean == pytest.approx(mean(results), abs=1e-6) and found.median == pytest.approx(median(results))


def daily(closes):
    """Bars of a day each, whose range is their change."""
    closes = np.array(closes, float)
    opens = np.append(closes[0], closes[:-1])
    times = 1_704_067_200 + np.arange(closes.size) * DAY
    return dataset(
        Bars(
            Timeframe(1440),
            times,
            opens,
            np.maximum(opens, closes),
            np.minimum(opens, closes),
            closes,
            closes,
            dated=True,
        )
    )


def test_stretches_end_at_the_turn_and_go_sideways_where_the_path_is_long():
    up, down = np.linspace(100, 150, 26), np.linspace(148, 110, 20)
    shaky = 110 + np.cumsum(np.tile([3.0, -2.0], 14))
    data = daily([*up, *down, *shaky])
    none = traded([outcome_of(data=data)])
    found = stretches_of(data, 0, len(data) - 1, none, Swings(percent=10, ranges=0))
    assert [stretch.way for stretch in found] == ["rising", "falling", "sideways"]
    assert [round(stretch.move) for stretch in found] == [50, -27, 13]
    assert found[0].ends == data.calendar.close_time[25] and found[1].ends == data.calendar.close_time[45]
    assert len(stretches_of(data, 0, len(data) - 1, none, Swings(percent=60, ranges=0))) == 1
    assert len(stretches_of(data, 0, len(data) - 1, none, Swings(percent=0.1, ranges=0))) > 20
    assert stretches_of(daily(up - 120), 0, 25, none, Swings()) == []


def test_every_trade_ends_in_one_stretch(outcome):
    swings = Swings(percent=2, ranges=1)
    found = numbers_of([outcome], figures_of(record_together([outcome])), swings).stretches
    assert len(found) > 1 and sum(stretch.trades for stretch in found) == len(outcome.trades)
    assert sum(stretch.net_profit for stretch in found) == pytest.approx(float(outcome.trades.net.sum()))
    assert all(first.ends <= second.begins for first, second in zip(found, found[1:], strict=False))


def test_charges_lead_from_gross_to_net(outcome):
    found = {charge.name: charge.money for charge in numbers(outcome).charges}
    assert sum(money for name, money in found.items() if name != "net") == pytest.approx(found["net"])
    assert found["gross"] == pytest.approx(float(outcome.trades.gross.sum()))


def test_a_basket_is_told_apart_by_market():
    checked = check(SCRIPT.format(stop="stop 2 * atr(5)"))
    named = ((5, "ONE"), (6, "TWO"))
    data = [make_dataset(wave_bars(3000, seed), Market(symbol, tick=0.25)) for seed, symbol in named]
    outcomes = run_basket([make_plan(checked, one, {}, "both") for one in data], ACCOUNT)
    found = numbers_of(outcomes, figures_of(record_together(outcomes)), Swings())
    [markets] = [item.groups for item in found.earned if item.by == "market"]
    for group, outcome in zip(markets, outcomes, strict=True):
        assert (group.name, group.trades) == (outcome.plan.dataset.market.symbol, len(outcome.trades))
        assert group.net_profit == pytest.approx(float(outcome.trades.net.sum()))
    assert found.stretches == []
    beside = numbers_of(outcomes, figures_of(record_together(outcomes)), Swings(), data[0])
    assert sum(stretch.trades for stretch in beside.stretches) == sum(len(outcome.trades) for outcome in outcomes)


@pytest.mark.parametrize("size", [1, 2, 20])
def test_a_run_of_hardly_any_bars_has_a_report(size):
    outcome = outcome_of(size=size)
    found = numbers(outcome)
    assert len(found.months) == 1 and found.months[0]["trades"] == len(outcome.trades)
    assert found.course.equity == [ACCOUNT.capital] * len(found.course.times) or len(outcome.trades)


def changed_outcome(script):
    checked = check(script)
    return run(make_plan(checked, OUTCOME.plan.dataset, {}, "both"), ACCOUNT)


WITHOUT = SCRIPT.format(stop="stop 2 * atr(5)")
OTHERS = {
    "the same": WITHOUT,
    "a filter": WITHOUT.replace("sma(close, 8)\nenter", "sma(close, 8) and close > open - 1 and hour < 15\nenter"),
    "another exit": WITHOUT.replace("30 bars", "6 bars"),
    "another size": WITHOUT.replace("2 units", "3 units"),
    "another script": "enter long when close > open\nexit after 2 bars\nsize 1 units\n",
    "no trades": "enter long when close > 1e9\nsize 1 units\n",
}


@pytest.mark.parametrize("name", OTHERS)
def test_the_parts_of_a_difference_add_up_to_it(name):
    before, after = traded([OUTCOME]), traded([changed_outcome(OTHERS[name])])
    found = difference_of(before, after)
    assert found.change == pytest.approx(float(after.net.sum() - before.net.sum()))
    assert sum(part.change for part in found.parts) == pytest.approx(found.change, abs=1e-6)
    count = {part.name: part.trades for part in found.parts}
    both = found.alike + count.get("ended differently", 0) + count.get("sized or charged differently", 0)
    assert both + count.get("only before", 0) == len(before) and both + count.get("only after", 0) == len(after)
    entries = {(row["side"], row["entry_time"]) for row in trade_rows(OUTCOME)}
    for pair in found.only_after:
        assert (pair.side, datetime.fromtimestamp(pair.entry_time, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")) not in entries
        assert pair.before is None and pair.after_reason is not None
    back = difference_of(after, before)
    assert back.change == pytest.approx(-found.change) and back.alike == found.alike


def test_what_a_change_did_is_said():
    def told(name):
        return difference_of(traded([OUTCOME]), traded([changed_outcome(OTHERS[name])]))

    assert told("the same").sentence == "It made the same trades." and told("the same").parts == []
    assert told("no trades").sentence.startswith("It removed ") and "added" not in told("no trades").sentence
    assert told("another size").sentence.startswith("It made the same trades, sized or charged differently: ")
    assert told("another exit").sentence.count("ended") == 2


def test_a_few_trades_that_make_it_all_are_named():
    whole = traded([OUTCOME])
    kept = np.ones(len(whole), np.bool_)
    kept[np.argmax(whole.net)] = False
    part = replace(whole, **{name: getattr(whole, name)[kept] for name in
        ("market", "side", "rule", "reason", "entry_time", "exit_time", "entry_day", "exit_day", "entry_hour", "bars", "net")
    })  # fmt: skip
    found = difference_of(part, whole)
    assert found.hangs_on is None, "six trades and more have to differ before a few of them can be few"
    less = replace(whole, net=np.where(kept, whole.net + 0.01, whole.net - 900.0))
    rest = 0.01 * (len(whole) - 1)
    told = f"One trade makes the whole difference: without it it would be {-rest:+,.0f}."
    assert difference_of(less, whole).hangs_on == told
