"""Points that are run together in compiled code come to what each comes to alone, to the last bit."""

from datetime import date
from itertools import product

from hypothesis import given
from hypothesis import strategies as st

from skelb.core.engine import Account, Pool
from skelb.core.errors import SettingsError
from skelb.core.figures import daily_of, figures_of
from skelb.core.language import check
from skelb.core.plan import input_values
from skelb.core.trials import Axis, Span, Sweep, Task, grid_size, point_at, run_tasks
from tests.conftest import dataset, wave_bars

# Every step along the bars, every kind of leaf, and what is laid out anew.
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
