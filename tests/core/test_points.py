"""Points that are run together in compiled code come to what each comes to alone, to the last bit."""

from datetime import date
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Market
from skelb.core.engine import Account, Pool, points
from skelb.core.errors import SettingsError
from skelb.core.figures import daily_of, figures_of
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset
from skelb.core.plan.filling import STRETCH
from skelb.core.trials import (
    READY_CONDITIONS,
    Axis,
    Span,
    Sweep,
    Task,
    grid_size,
    point_at,
    read_axis,
    run_tasks,
    search_script,
)
from tests.conftest import dataset, wave_bars

TEXT = """
input n = 5
input m = 9
input b = 1
input c = 2
input src = close one of close, open
input kind = ema one of ema, sma
input wide = on
input stay = 12
quick = average(src, n, kind)
calm = sma(close, m)
gap = quick - calm * b / c
turn = quick crosses above calm
back = (quick crosses below calm or gap meets b) and not wide
both = (quick + calm if gap > 0 else -gap * c)
rough = (turn if wide else quick < calm)
carry held = (quick if quick > held + b else held) starting calm
steep = quick / c >= calm / b and quick * b != calm
far = (close > sma(close, n + m)) on 4h
{rules}
"""
RULES = (
    "enter long when turn or steep\nexit long when back named \"back\"\nenter short when rough and quick <= calm",
    "enter long when turn\nenter long when steep and far\nenter short when back\nlimit 2 open\nstop b * atr(n)\n"
    "target c R",
    "enter long when quick == calm or turn or both > close\nstop min(b, c) %\ntrail b * atr(5) once c R\n"
    "breakeven once b R",
    "enter long when turn and held < both\nexit long when bars_held > m and open_profit < b\nsize b units\n"
    "exit after stay bars",
    "enter long when gap < c at limit quick - b for 3 bars\nenter short when turn at stop calm - c\n"
    "exit short when gap > -b at close",
    "enter long when not turn and rough\nexit when open_profit > c or quick crosses above calm * (1 + b / 100) take 50%",
    "enter long when close > close\nenter short when (quick meets calm if wide else steep)\nstop c * atr(3)\n"
    "size risk b% of equity max m units",
    "enter long when (b if turn else c) > 1 and far\nstop long at lowest(low, 5) - b\nstop short at highest(high, 5) + c",
)  # fmt: skip
CHECKED = [check(TEXT.format(rules=rules)) for rules in RULES]
DATA = dataset(wave_bars(1_200))
VALUES = {
    "n": st.lists(st.sampled_from([2, 3, 5, 8, 0, 2.5]), min_size=1, max_size=3, unique=True),
    "m": st.lists(st.sampled_from([1, 4, 9, 15]), min_size=1, max_size=3, unique=True),
    "b": st.lists(st.sampled_from([0, 0.5, 1, 1.25, -1]), min_size=1, max_size=3, unique=True),
    "c": st.lists(st.sampled_from([0, 1, 2, 3.5]), min_size=1, max_size=2, unique=True),
    "src": st.just(["close", "open"]),
    "kind": st.just(["ema", "sma"]),
    "wide": st.just([True, False]),
    "stay": st.lists(st.integers(1, 20), min_size=1, max_size=2, unique=True),
    "sides": st.just(["both", "long", "short"]),
}
SPANS = [
    Span("", date(2024, 1, 3), date(2024, 1, 30), 20),
    Span("", date(2024, 1, 10), date(2024, 1, 11), 2),
]


def test_the_scripts_are_sound():
    for checked in CHECKED:
        assert checked.is_sound, checked.diagnostics


def alone(sweep, task):
    """What a task comes to by itself: figures, days, or the reason that it cannot run."""
    try:
        record = sweep.record(task.point, Pool(), task.span)
    except SettingsError as exc:
        return None, None, str(exc)
    return figures_of(record), daily_of(record), ""


def assert_together_as_alone(checked, data, tasks, account=None):
    sweep = Sweep(checked, data.apart(), account or Account(), input_values(checked, {}))
    for task, cell in zip(tasks, run_tasks(sweep, tasks), strict=True):
        figures, daily, error = alone(sweep, task)
        assert (cell.number, cell.part, cell.error) == (task.number, task.part, error)
        assert repr(cell.figures) == repr(figures), task.point
        assert cell.daily == daily


@given(st.data())
def test_points_run_together_are_as_each_alone(data):
    checked = CHECKED[data.draw(st.sampled_from(range(len(CHECKED))))]
    names = data.draw(st.lists(st.sampled_from(list(VALUES)), min_size=1, max_size=3, unique=True))
    axes = tuple(Axis(name, tuple(data.draw(VALUES[name])), is_place=name == "sides") for name in names)
    spans = data.draw(st.sampled_from([[None], SPANS]))
    tasks = [
        Task(number, point_at(axes, number), part, span)
        for number, (part, span) in product(range(grid_size(axes)), enumerate(spans))
    ]
    capital, policy = data.draw(st.sampled_from([(2e3, "worst"), (1e6, "path")]))
    assert_together_as_alone(checked, DATA, tasks, Account(capital, same_bar=policy))


CHOSEN = [
    # the first three choose among conditions and amounts alone; the others change more
    "enter long when close > open only if pick is a\nenter long when turn only if pick is b\nexit after 5 bars",
    "enter short when back\nenter long when turn only if pick is a\nenter long when close > n only if pick is b",
    "enter long when turn only if pick is a\nenter long when back only if pick is b\nstop (1 if pick is a else 2) * atr(3)",
    "enter long when turn only if pick is a\nenter long when steep at close only if pick is b\nexit after 5 bars",
    "enter long when turn only if pick is a\nenter long when far\nenter long when back only if pick is b\nexit after 3 bars",
    "enter long when turn only if pick is a\nenter long when bars_held > 1 or back only if pick is b\nlimit 2 open",
    "enter long when turn only if pick is a\nexit when back",
    "enter long when turn only if pick is a\nenter long when back only if pick is b\nexit after m bars only if pick is b",
]


@pytest.mark.parametrize("rules", CHOSEN)
def test_rules_chosen_by_a_word_are_run_together_where_only_conditions_differ(rules):
    checked = check(TEXT.format(rules=f"input pick = a one of a, b\n{rules}"))
    assert checked.is_sound, checked.diagnostics
    assert bool(checked.alternating) == (rules in CHOSEN[:3])
    axes = Axis("pick", ("a", "b"), ordered=False), Axis("n", (3, 7))
    assert_together_as_alone(checked, DATA, [Task(number, point_at(axes, number)) for number in range(4)])


def test_a_search_is_run_together():
    base = check("stop 2 * atr(14)\nexit after 10 bars\n")
    search = search_script(base, READY_CONDITIONS[:6], None, 2)
    checked = check(search.text)
    axes = read_axis(search.vary, checked), read_axis("sides=long,short", checked)
    tasks = [Task(number, point_at(axes, number)) for number in range(grid_size(axes))]
    assert checked.alternating
    assert_together_as_alone(checked, DATA, tasks)


@pytest.mark.parametrize(("bars", "room"), [(1, 1), (3_000, 1), (10**9, 1), (10**9, 10**6)])
def test_however_many_points_the_memory_holds_at_once(bars, room, monkeypatch):
    monkeypatch.setattr(points, "_BARS_AT_ONCE", bars)
    monkeypatch.setattr(points, "_ROOM", room)
    checked = check(
        "input n = 1\nenter long when close > prior(close, n) or close <= n\nexit after 1 bars\nsize 1 units"
    )
    axes = (Axis("n", (1, 2, 3, 2_000, 4, 5)),)
    assert_together_as_alone(checked, DATA, [Task(number, point_at(axes, number)) for number in range(6)])


@pytest.mark.parametrize("size", [1, 2, STRETCH - 1, STRETCH, STRETCH + 1, 2 * STRETCH])
def test_runs_of_any_length(size):
    data = dataset(wave_bars(size))
    axes = Axis("n", (2, 5)), Axis("b", (0, 1))
    for checked in CHECKED:
        assert_together_as_alone(checked, data, [Task(number, point_at(axes, number)) for number in range(4)])


def test_a_market_whose_currency_rate_is_another_market():
    rates = dataset(wave_bars(1_200, seed=4))
    data = make_dataset(
        wave_bars(1_200), Market("TEST", tick=0.25, currency_rate="RATE"), others=lambda symbol, timeframe: rates
    )
    checked = check("input c = 5\nenter long when close > open\nstop c cash\ntarget 2 * c ticks\nsize 1 units")
    axes = (Axis("c", (5, 500, 0, 90)),)
    assert_together_as_alone(checked, data, [Task(number, point_at(axes, number)) for number in range(4)])
