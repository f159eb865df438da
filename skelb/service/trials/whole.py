"""Whole trials read: sweeps and searches run here for the command line, walk-forwards wherever they ran."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from skelb.core.errors import SkelbError
from skelb.core.export import evenly
from skelb.core.figures import Figures
from skelb.core.trials import (
    Axis,
    Cell,
    Point,
    Results,
    Span,
    Stitched,
    Window,
    efficiency,
    mean_range,
    stitched,
)
from skelb.service.tallies import Tallies
from skelb.service.trials.jobs import missing_tasks
from skelb.service.trials.orders import Layout, Part, TrialSettings
from skelb.service.trials.ranking import Best, Overfitted, Ranking, TrialRun, against, best_of, overfitted, run_of
from skelb.service.trials.workers import workers_for
from skelb.store import StoreError

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
        for group in workers.cells(tasks):
            waiting.extend(group)
            done += len(group)
            if len(waiting) >= _SETTLED_AT_ONCE:
                settle()
            on_progress(done, layout.total)
    settle()
    return Results.joined(found)


@dataclass(frozen=True, slots=True)
class SplitFound:
    """The parts of a split, what is held back, and how alike the rankings inside and outside are."""

    parts: list[Span]
    held_back: Span | None
    rank_correlation: float | None


@dataclass(frozen=True, slots=True)
class SweepFound:
    """A whole sweep or search: runs in order of their points; landmarks and the front by their inputs."""

    worth: Best
    overfitting: Overfitted | None
    axes: tuple[Axis, ...]
    objective: str
    min_trades: int
    runs: list[TrialRun]
    best: Point | None
    plateau: Point | None
    rocks: list[Point]
    split: SplitFound | None
    front: list[Point] | None


def sweep_of(
    settings: TrialSettings, layout: Layout, results: Results, objectives: Sequence[str], tallies: Tallies
) -> SweepFound:
    """A sweep or search that ran, read whole; the front where there are several objectives."""
    rankings = [
        Ranking.of(layout.axes, layout.numbers is not None, results.part(part), settings.objective, settings.min_trades)
        for part in range(max(1, len(layout.parts)))
    ]
    ranking, outside = rankings[0], rankings[1] if len(rankings) > 1 else None
    runs = [run_of(ranking, row, outside, layout.labels) for row in range(len(ranking.results))]
    marks, spans = ranking.landmarks, [part.span for part in layout.parts]
    split = None
    if outside is not None:
        split = SplitFound(spans, layout.held_back, against(ranking, outside, spans).rank_correlation)
    return SweepFound(
        worth=best_of(ranking, layout, tallies),
        overfitting=overfitted(results, is_walk=False),
        axes=layout.axes,
        objective=settings.objective,
        min_trades=settings.min_trades,
        runs=runs,
        best=None if ranking.best is None else runs[ranking.best].inputs,
        plateau=None if marks.plateau is None else runs[marks.plateau].inputs,
        rocks=[runs[row].inputs for row in marks.rocks],
        split=split,
        front=[runs[row].inputs for row in ranking.front(objectives)] if len(objectives) > 1 else None,
    )


@dataclass(frozen=True, slots=True)
class WalkWindow:
    """A window: what was chosen inside, with its figures there and on the days outside; None where no run counts."""

    inside: Span
    outside: Span
    chosen: Point | None
    inside_figures: Figures | None
    outside_figures: Figures | None


@dataclass(frozen=True, slots=True)
class StitchedDays:
    """The days outside one after the other, in few points; amounts in money, times seconds since 1970 UTC."""

    net: float
    drawdown: float
    capital: float
    times: list[int]
    equity: list[float]


@dataclass(frozen=True, slots=True)
class Walk:
    """A walk-forward: its windows, their days outside stitched, beside the fixed setting; `daily` is money a day
    outside.

    `efficiency` is of the windows that chose; `daily_range` bounds `daily` with 95 %.
    """

    objective: str
    choose: Choice
    windows: list[WalkWindow]
    windows_in_all: int
    efficiency: float | None
    daily: float | None
    daily_range: list[float] | None
    earned: int
    stitched: StitchedDays
    fixed: StitchedDays | None
    overfitting: Overfitted | None
    sentence: str


def walk_of(
    layout: Layout, parts: Sequence[Part], rankings: Sequence[Ranking], objective: str, choose: Choice,
    results: Results | None,
) -> Walk:  # fmt: skip
    """A walk-forward as far as its `parts` are finished: what each chose, and what that earned after it.

    `rankings` are of the windows' inside parts; windows that chose nothing (no run counts) trade nothing. Chosen by
    the best value, or by the best neighbourhood. `results` are all of it, once all windows are finished.
    """
    windows: list[WalkWindow] = []
    steps: list[tuple[Span, Point]] = []
    nets: list[tuple[Window, float]] = []
    for part, ranking in zip(parts, rankings, strict=True):
        assert part.outside is not None
        row = ranking.best if choose == "value" else ranking.landmarks.plateau
        chosen = figures = None
        if row is not None:
            chosen, figures = ranking.point(row), ranking.results.figures_at(row)
            assert figures is not None
            steps.append((part.outside, chosen))
            nets.append((Window(part.span, part.outside), float(figures["net_profit"] or 0.0)))
        windows.append(WalkWindow(part.span, part.outside, chosen, figures, None))
    moving = stitched(layout.sweep, steps)
    legs = {leg.span.name: leg.figures for leg in moving.legs}
    outside = [float(layout.sweep.run_one(point, span=span)["net_profit"] or 0.0) for span, point in steps]
    judged = efficiency([window for window, _ in nets], [net for _, net in nets], outside) if nets else None
    earned = sum(leg.figures["net_profit"] > 0 for leg in moving.legs if leg.figures["net_profit"] is not None)
    daily = mean_range(moving.daily)
    try:
        fixed: Stitched | None = stitched(layout.sweep, [(span, {}) for span, _ in steps])
    except SkelbError:
        fixed = None
    return Walk(
        objective=objective,
        choose=choose,
        windows=[replace(window, outside_figures=legs.get(window.outside.name)) for window in windows],
        windows_in_all=len(layout.parts),
        efficiency=judged if len(nets) > 1 else None,
        daily=float(moving.daily.mean()) if moving.legs else None,
        daily_range=None if daily is None else list(daily),
        earned=earned,
        stitched=_days_of(moving),
        fixed=None if fixed is None else _days_of(fixed),
        overfitting=None if results is None else overfitted(results, is_walk=True),
        sentence=_walk_sentence(moving, fixed, judged, earned, daily),
    )


def _days_of(run: Stitched) -> StitchedDays:
    shown = evenly(run.equity.size, _MOST_POINTS)
    return StitchedDays(run.net, run.drawdown, run.capital, run.times[shown].tolist(), run.equity[shown].tolist())


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
