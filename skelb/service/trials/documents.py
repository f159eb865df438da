"""Whole trials as documents: sweeps and searches run here for the command line, walk-forwards wherever they ran."""

from collections.abc import Callable, Sequence
from typing import Any, Literal

from skelb.core.errors import SkelbError
from skelb.core.export import evenly
from skelb.core.trials import (
    Cell,
    Point,
    Results,
    Span,
    Stitched,
    Sweep,
    Window,
    efficiency,
    mean_range,
    run_cells,
    stitched,
)
from skelb.service.tallies import Tallies
from skelb.service.trials.jobs import missing_tasks
from skelb.service.trials.orders import Layout, Part, TrialSettings, span_document
from skelb.service.trials.ranking import Ranking, against, best_document, overfitting_document, run_document
from skelb.service.trials.workers import workers_for
from skelb.store import StoreError

Document = dict[str, Any]
Choice = Literal["value", "neighbours"]
_MOST_POINTS = 600
_SETTLED_AT_ONCE = 256


def run_layout(
    layout: Layout, jobs: int, cluster: str | None, tallies: Tallies, on_progress: Callable[[int, int], None]
) -> Results:
    """All runs of a layout, in threads or on a cluster, counted as tries."""
    found: list[Results] = []
    waiting: list[Cell] = []

    def settle() -> None:
        found.append(Results.of(waiting, layout.blocks))
        tries = layout.tries(waiting, "command line")
        try:
            tallies.count(layout.title, tries)
        except StoreError:  # the runs are worth more than being remembered
            tallies.stop_writing()
            tallies.count(layout.title, tries)
        waiting.clear()

    done = 0
    tallies.begin(layout.title)
    with workers_for(layout.sweep, layout.axes, jobs, cluster) as workers:
        tasks = missing_tasks(layout.axes, layout.numbers, layout.parts, Results.of([]))
        for group in run_cells(workers.submit, tasks, workers.ahead):
            waiting.extend(group)
            done += len(group)
            if len(waiting) >= _SETTLED_AT_ONCE:
                settle()
            on_progress(done, layout.total)
    settle()
    return Results.joined(found)


def sweep_document(
    settings: TrialSettings, layout: Layout, results: Results, objectives: Sequence[str], tallies: Tallies
) -> Document:
    """A sweep or search as one document: runs in order of their points, each with its neighbourhood score; landmarks."""
    rankings = [
        Ranking.of(layout.axes, layout.numbers is not None, results.part(part), settings.objective, settings.min_trades)
        for part in range(max(1, len(layout.parts)))
    ]
    ranking, outside = rankings[0], rankings[1] if len(rankings) > 1 else None
    runs = [run_document(ranking, row, outside, layout.labels) for row in range(len(ranking.results))]
    marks = ranking.landmarks
    document: Document = {
        **best_document(ranking, layout, tallies),
        "overfitting": overfitting_document(results, is_walk=False),
        "axes": [{"name": axis.name, "values": list(axis.values)} for axis in layout.axes],
        "objective": settings.objective,
        "min_trades": settings.min_trades,
        "runs": runs,
        "best": None if ranking.best is None else runs[ranking.best]["inputs"],
        "plateau": None if marks.plateau is None else runs[marks.plateau]["inputs"],
        "rocks": [runs[row]["inputs"] for row in marks.rocks],
    }
    if outside is not None:
        document["parts"] = [span_document(part.span) for part in layout.parts]
        document["held_back"] = span_document(layout.held_back) if layout.held_back else None
        document["rank_correlation"] = against(ranking, outside)["rank_correlation"]
    if len(objectives) > 1:
        document["front"] = [runs[row]["inputs"] for row in ranking.front(objectives)]
    return document


def walk_document(
    sweep: Sweep, parts: Sequence[Part], rankings: Sequence[Ranking], choose: Choice = "value"
) -> Document:
    """A walk-forward: the inputs each window chose, what they earned after it, stitched, beside the fixed setting.

    `rankings` are of the windows' inside parts; windows that chose nothing (no run counts) trade nothing. Chosen by
    the best value, or by the best neighbourhood. Efficiency is of the windows that chose.
    """
    windows: list[Document] = []
    steps: list[tuple[Span, Point]] = []
    nets: list[tuple[Window, float]] = []
    for part, ranking in zip(parts, rankings, strict=True):
        assert part.outside is not None
        row = ranking.best if choose == "value" else ranking.landmarks.plateau
        found: Document = {"inside": span_document(part.span), "outside": span_document(part.outside), "chosen": None}
        if row is not None:
            figures = ranking.results.figures_at(row)
            assert figures is not None
            found |= {"chosen": ranking.point(row), "inside_figures": figures}
            steps.append((part.outside, ranking.point(row)))
            nets.append((Window(part.span, part.outside), float(figures["net_profit"] or 0.0)))
        windows.append(found)
    moving = stitched(sweep, steps)
    legs = {leg.span.name: leg for leg in moving.legs}
    for found in windows:
        leg = legs.get(found["outside"]["name"])
        found["outside_figures"] = leg.figures if leg else None
    outside = [float(sweep.run_one(point, span=span)["net_profit"] or 0.0) for span, point in steps]
    judged = efficiency([window for window, _ in nets], [net for _, net in nets], outside) if nets else None
    earned = sum(leg.figures["net_profit"] > 0 for leg in moving.legs if leg.figures["net_profit"] is not None)
    daily = mean_range(moving.daily)
    try:
        fixed: Stitched | None = stitched(sweep, [(span, {}) for span, _ in steps])
    except SkelbError:
        fixed = None
    return {
        "objective": rankings[0].objective if rankings else "",
        "choose": choose,
        "windows": windows,
        "efficiency": judged if len(nets) > 1 else None,
        "daily": float(moving.daily.mean()) if moving.legs else None,
        "daily_range": None if daily is None else list(daily),
        "earned": earned,
        "stitched": _stitched_document(moving),
        "fixed": None if fixed is None else _stitched_document(fixed),
        "sentence": _walk_sentence(moving, fixed, judged, earned, daily),
    }


def _stitched_document(run: Stitched) -> Document:
    shown = evenly(run.equity.size, _MOST_POINTS)
    return {
        "net": run.net,
        "drawdown": run.drawdown,
        "capital": run.capital,
        "times": run.times[shown].tolist(),
        "equity": run.equity[shown].tolist(),
    }


def _walk_sentence(
    moving: Stitched, fixed: Stitched | None, judged: float | None, earned: int, daily: tuple[float, float] | None
) -> str:
    if not moving.legs:
        return "No window had a run that counts: lower the least number of trades, or use longer windows."
    worth = f"Chosen anew, the days outside earned {moving.net:,.0f}"
    if fixed is not None:
        worth += f"; the fixed setting {fixed.net:,.0f} on the same days"
    worth += f". {earned} of {len(moving.legs)} windows earned."
    if daily is None:
        return f"{worth} Whether it carries over cannot be told from {moving.daily.size} days."
    low, high = daily
    verdict = "whether it carries over cannot be told from so few days"
    if low > 0:
        verdict = "it carries over"
    elif high < 0:
        verdict = "it does not carry over"
    middle, low_text, high_text = (f"{value:+,.1f}".replace("-", "−") for value in (moving.daily.mean(), low, high))
    told = f"{worth} A day outside earned {middle}, between {low_text} and {high_text} with 95 %: {verdict}."
    if judged is not None and len(moving.legs) > 1:
        told += f" That is {judged:.0%} of what the same choices earned a day inside."
    return told
