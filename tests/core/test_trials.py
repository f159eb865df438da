"""Grids, sweeps in any executor, and reading a surface."""

from concurrent.futures import Executor, Future, ThreadPoolExecutor

import numpy as np
import pytest

from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import input_values
from skelb.core.trials import Sweep, grid, grid_size, landmarks, neighbourhood, read_axis, run_cells
from tests.conftest import dataset

SCRIPT = """
input n = 5 from 3 to 9 step 2
input m = 20
input kind = ema one of ema, sma
input hold_on = off
x = (ema(close, n) if kind is ema else sma(close, n))
enter long when close crosses above x
enter short when close crosses below x only if hold_on
exit after m bars
size 2 units
"""
CHECKED = check(SCRIPT)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("n=5..9:2", (5, 7, 9)), ("n", (3, 5, 7, 9)), ("n=0.1..0.3:0.1", (0.1, 0.2, 0.3)), ("n=4,8", (4, 8)),
        ("kind=sma,ema", ("sma", "ema")), ("hold_on", (False, True)), ("kind", ("ema", "sma")),
    ],
)  # fmt: skip
def test_axes_are_read(text, expected):
    assert read_axis(text, CHECKED).values == expected


@pytest.mark.parametrize("text", ["zz=1..2", "n=a..b", "n=5..3", "n=1..9:0", "m", "kind=wma", "n=1..1000000:0.01"])
def test_impossible_axes_are_refused(text):
    with pytest.raises(SettingsError):
        read_axis(text, CHECKED)


def test_a_grid_has_every_combination_once():
    axes = (read_axis("n=4,8", CHECKED), read_axis("hold_on", CHECKED))
    combinations = list(grid(axes))
    assert len(combinations) == grid_size(axes) == 4
    assert combinations[1] == {"n": 4, "hold_on": True}
    with pytest.raises(SettingsError, match="one axis only"):
        grid_size((axes[0], axes[0]))


class OneAfterTheOther(Executor):
    """The plainest executor: it runs a call when it is submitted."""

    def submit(self, call, /, *arguments, **named):
        future = Future()
        future.set_result(call(*arguments, **named))
        return future


def sweep_all(executor):
    sweep = Sweep(CHECKED, dataset(), Account(capital=50_000), input_values(CHECKED, {"m": 6}))
    cells = list(enumerate(grid((read_axis("n=2..16:1", CHECKED), read_axis("kind", CHECKED)))))
    return [cell for group in run_cells(sweep, cells, executor, ahead=4) for cell in group]


def test_the_same_results_in_any_executor():
    plain = sweep_all(OneAfterTheOther())
    with ThreadPoolExecutor(4) as threads:
        assert sweep_all(threads) == plain
    assert [cell.number for cell in plain] == list(range(30)) and all(cell.figures for cell in plain)


def test_a_cell_that_cannot_run_says_why_and_the_others_run():
    sweep = Sweep(CHECKED, dataset(), Account(), input_values(CHECKED, {}))
    with ThreadPoolExecutor(2) as threads:
        cells = [c for group in run_cells(sweep, [(0, {"n": 0.5}), (1, {"n": 5})], threads, ahead=1) for c in group]
    assert "whole number" in cells[0].error and cells[0].figures is None and cells[1].figures


def test_neighbourhood_is_the_median_of_a_cell_and_those_around_it():
    rng = np.random.default_rng(2)
    values = rng.normal(size=(7, 9))
    values[2, 3] = np.nan
    found = neighbourhood(values)
    for row, column in np.ndindex(7, 9):
        block = values[max(0, row - 1) : row + 2, max(0, column - 1) : column + 2]
        if np.isnan(values[row, column]):
            assert np.isnan(found[row, column])
        else:
            assert found[row, column] == pytest.approx(np.nanmedian(block))


def test_a_lonely_peak_is_a_rock_and_a_broad_one_the_plateau():
    y, x = np.mgrid[0:15, 0:15]
    surface = 3 * np.exp(-((x - 4) ** 2 + (y - 5) ** 2) / 12.0)
    surface[12, 12] = 6.0
    found = landmarks(surface)
    assert found.rocks == (12 * 15 + 12,)
    assert found.plateau == 5 * 15 + 4
    assert landmarks(-surface, higher_is_better=False).rocks == found.rocks
    assert landmarks(np.full((3, 3), np.nan)).plateau is None


def test_a_sweep_with_exchanged_sides_trades_the_other_side():
    data, account = dataset(), Account(capital=1e6)
    fixed = input_values(CHECKED, {})
    straight, inverted = (Sweep(CHECKED, data, account, fixed, inverted=turned).run_one({}) for turned in (False, True))
    assert straight["trades"] == inverted["trades"] > 5
    assert straight["net_profit"] != inverted["net_profit"]
