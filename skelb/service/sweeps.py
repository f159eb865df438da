"""Sweeps: run to a document for the command line, or as jobs that are stored as they go."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from typing import Any

import numpy as np

from skelb.core.bars import Floats
from skelb.core.figures import FIGURES, daily_changes
from skelb.core.trials import (
    Axis,
    Cell,
    Deflated,
    Sweep,
    check_objective,
    deflated,
    grid,
    grid_size,
    landmarks,
    neighbourhood,
    read_axis,
    run_cells,
)

Document = dict[str, Any]


def sweep_document(
    sweep: Sweep, vary: list[str], objective: str, min_trades: int, jobs: int, on_progress: Callable[[int, int], None]
) -> Document:
    """The full grid as one document: runs in grid order, each with its neighbourhood score, and the landmarks."""
    check_objective(objective)
    axes = tuple(read_axis(item, sweep.checked) for item in vary)
    total = grid_size(axes)
    cells: list[Cell] = []
    with ThreadPoolExecutor(jobs) as executor:
        for group in run_cells(sweep, list(enumerate(grid(axes))), executor, ahead=2 * jobs):
            cells.extend(group)
            on_progress(len(cells), total)
    values = surface_values(axes, [(cell.number, cell.figures) for cell in cells], objective, min_trades)
    scores = neighbourhood(values).ravel()
    found = landmarks(values, higher_is_better(objective))
    runs = [
        {
            "inputs": cell.inputs,
            "figures": cell.figures,
            "error": cell.error or None,
            "ranked": not np.isnan(values.flat[cell.number]),
            "neighbourhood": _plain(scores[cell.number]),
        }
        for cell in cells
    ]
    best = None if np.isnan(values).all() else int(np.nanargmax(values * (1 if higher_is_better(objective) else -1)))
    worth = None if best is None else _deflated(sweep, cells, best)
    return {
        "deflation": None if worth is None else {**asdict(worth), "sentence": worth.sentence},
        "axes": [{"name": axis.name, "values": list(axis.values)} for axis in axes],
        "objective": objective,
        "min_trades": min_trades,
        "runs": runs,
        "best": None if best is None else runs[best]["inputs"],
        "plateau": None if found.plateau is None else runs[found.plateau]["inputs"],
        "rocks": [runs[index]["inputs"] for index in found.rocks],
    }


def _deflated(sweep: Sweep, cells: list[Cell], best: int) -> Deflated | None:
    """What the best run is worth after so many tries; the spread of their Sharpe ratios is that of the sweep itself."""
    record = sweep.record(cells[best].inputs)
    changes = daily_changes(record)
    if changes is None:
        return None
    days = changes.size / ((int(record.days[-1]) - int(record.days[0]) + 1) / 365.25)
    ratios = [float(found) for cell in cells if cell.figures and (found := cell.figures["sharpe"]) is not None]
    spread = float(np.std(ratios, ddof=1)) / np.sqrt(days) if len(ratios) > 2 else None
    return deflated(changes, len(cells), spread)


def surface_values(
    axes: tuple[Axis, ...], cells: list[tuple[int, dict[str, Any] | None]], objective: str, min_trades: int
) -> Floats:
    """The objective on the grid, NaN where not run, not known, or with too few trades; one dimension an axis."""
    values = np.full(tuple(len(axis.values) for axis in axes), np.nan)
    for number, figures in cells:
        if figures is not None and (figures["trades"] or 0) >= min_trades and figures[objective] is not None:
            values.flat[number] = figures[objective]
    return values


def higher_is_better(objective: str) -> bool:
    """Whether more of a figure is better."""
    return next(figure for figure in FIGURES if figure.key == objective).higher_is_better is not False


def _plain(value: float) -> float | None:
    return None if np.isnan(value) else float(value)
