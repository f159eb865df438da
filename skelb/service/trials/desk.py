"""What a page asks of stored trials: their results read, the best weighed, held-back data looked at."""

from collections import OrderedDict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from threading import Lock
from typing import Any

import pyarrow as pa

from skelb.core.errors import ConflictError, NotFoundError, SettingsError
from skelb.core.figures import Figures
from skelb.core.trials import CHOICE, Fold, Leg, point_at, stitched
from skelb.service.report import Report, report_of_walk
from skelb.service.tables import Form, Of, legs_table
from skelb.service.tallies import Tallies
from skelb.service.trials.jobs import Trials
from skelb.service.trials.orders import Part, markets_of
from skelb.service.trials.ranking import (
    Against,
    Curve,
    Deflation,
    Front,
    Luck,
    Overfitted,
    Ranking,
    Surface,
    Table,
    TrialRun,
    against,
    best_of,
    exported,
    overfitted,
    run_of,
)
from skelb.service.trials.store import StoredTrial
from skelb.service.trials.whole import Choice, Walk, walk_of

_MOST_RANKINGS = 6


@dataclass(frozen=True, slots=True)
class BestWeighed:
    """What the best run of a trial is worth after all that was tried with its script."""

    title: str
    luck: Luck | None
    deflation: Deflation | None
    overfitting: Overfitted | None


@dataclass(frozen=True)
class View:
    """How a trial is seen: by which objective, from how many trades on; by default as it was ordered."""

    objective: str | None = None
    min_trades: int | None = None


class TrialDesk:
    """Questions about the trials of a data folder. Safe to share among threads."""

    def __init__(self, trials: Trials, tallies: Tallies) -> None:
        self._trials, self._tallies = trials, tallies
        self._read: OrderedDict[tuple[Any, ...], tuple[int, Ranking]] = OrderedDict()
        self._lock = Lock()

    def trial(self, number: int) -> StoredTrial:
        """One trial. Raises NotFoundError when there is none of that number."""
        return self._trials.store.trial(number)

    def ranking(self, trial: StoredTrial, view: View, part: int = 0) -> Ranking:
        """The finished runs of one part, seen so."""
        results = self._trials.store.results(trial.id)
        objective = view.objective or trial.order.objective
        least = trial.order.min_trades if view.min_trades is None else view.min_trades
        key = (trial.id, part, objective, least)
        with self._lock:
            count, found = self._read.get(key, (0, None))
            if found is None or count < len(results):  # what was read of fewer runs is not asked for again
                found = Ranking.of(trial.axes, trial.numbers is not None, results.part(part), objective, least)
                self._read[key] = len(results), found
                while len(self._read) > _MOST_RANKINGS:
                    self._read.popitem(last=False)
            self._read.move_to_end(key)
            return found

    def surface(
        self, number: int, view: View, x: str | None, y: str | None, held: Mapping[str, int], fold: Fold, part: int
    ) -> Surface:
        """Two axes of a trial, its first ones unless others are named."""
        trial = self.trial(number)
        names = [axis.name for axis in trial.axes]
        across = x or names[0]
        upwards = y or next((name for name in names if name != across and name not in held), None)
        return self.ranking(trial, view, part).surface(across, None if upwards == across else upwards, held, fold)

    def table(
        self,
        number: int,
        view: View,
        sort: str,
        descending: bool,
        least: Mapping[str, float],
        most: Mapping[str, float],
        offset: int,
        limit: int,
    ) -> Table:
        """A page of a trial's runs, filtered and sorted."""
        trial = self.trial(number)
        ranking, outside = self._sides(trial, view)
        rows = ranking.table(sort, descending, least, most)
        labels = self._labels(trial)
        shown = [run_of(ranking, int(row), outside, labels) for row in rows[offset : offset + limit]]
        return Table(len(ranking.results), int(rows.size), shown)

    def run(self, number: int, point: int, view: View) -> TrialRun:
        """One run of a trial with every part of it. Raises NotFoundError when it has not been made."""
        trial = self.trial(number)
        ranking, outside = self._sides(trial, view)
        return run_of(ranking, ranking.row(point), outside, self._labels(trial))

    def curves(self, number: int, point: int, view: View) -> list[Curve]:
        """The axes of a trial through one of its points."""
        return self.ranking(self.trial(number), view).curves(point)

    def front(self, number: int, view: View, objectives: list[str]) -> Front:
        """The runs no other beats in every objective, and a scatter over the first two."""
        trial = self.trial(number)
        ranking, outside = self._sides(trial, view)
        rows, labels = ranking.front(objectives), self._labels(trial)
        return Front(ranking.dots(objectives), [run_of(ranking, int(row), outside, labels) for row in rows[:200]])

    def in_against_out(self, number: int, view: View) -> Against:
        """In sample against out of sample. Raises NotFoundError when the trial was not split."""
        trial = self.trial(number)
        ranking, outside = self._sides(trial, view)
        if outside is None:
            raise NotFoundError(f"trial {number} has no out-of-sample part: start one with a split")
        return against(ranking, outside, [part.span for part in trial.parts])

    def deflation(self, number: int, view: View) -> BestWeighed:
        """What the best run is worth, for the runs of this trial and for all that the script ever had."""
        trial = self.trial(number)
        layout = self._trials.layout(trial.order)
        best = best_of(self.ranking(trial, view), layout, self._tallies)
        overfitting = overfitted(self._trials.store.results(number), layout.is_walk)
        return BestWeighed(trial.title, best.luck, best.deflation, overfitting)

    def walk(self, number: int, view: View, choose: Choice) -> Walk:
        """A walk-forward as far as its windows are finished. Raises NotFoundError when it is another kind of trial."""
        trial = self.trial(number)
        parts, rankings = self._finished(trial, view)
        is_done = len(parts) == len(trial.parts)
        return walk_of(
            self._trials.layout(trial.order), parts, rankings, view.objective or trial.order.objective, choose,
            self._trials.store.results(number) if is_done else None,
        )  # fmt: skip

    def walk_report(self, number: int, view: View, choose: Choice) -> Report:
        """The days outside of a walk-forward judged whole, as one run. Raises NotFoundError as `walk` does,
        SettingsError when no window chose anything."""
        walk, legs = self._end_to_end(number, view, choose)
        return report_of_walk(self._trials.prepared(self.trial(number).order), legs, walk.sentence)

    def walk_table(self, number: int, view: View, choose: Choice, of: Of) -> pa.Table:
        """The trades of the days outside of a walk-forward, or their equity. Raises as `walk_report` does."""
        _, legs = self._end_to_end(number, view, choose)
        return legs_table([leg.outcomes for leg in legs], of)

    def _end_to_end(self, number: int, view: View, choose: Choice) -> tuple[Walk, Sequence[Leg]]:
        walk = self.walk(number, view, choose)
        steps = [(window.outside, window.chosen) for window in walk.windows if window.chosen is not None]
        if not steps:
            raise SettingsError(walk.sentence)
        return walk, stitched(self._trials.layout(self.trial(number).order).sweep, steps).legs

    def _finished(self, trial: StoredTrial, view: View) -> tuple[list[Part], list[Ranking]]:
        """The windows of a walk-forward that are finished, and the ranking of each."""
        if trial.order.kind != "walk":
            raise NotFoundError(f"trial {trial.id} is no walk-forward")
        rankings = [self.ranking(trial, view, part) for part in range(len(trial.parts))]
        points = trial.total // len(trial.parts)
        finished = [place for place, ranking in enumerate(rankings) if len(ranking.results) == points]
        return [trial.parts[place] for place in finished], [rankings[place] for place in finished]

    def export(self, number: int, form: Form) -> bytes:
        """All runs of a trial as a file."""
        trial = self.trial(number)
        results = self._trials.store.results(number)
        names = [part.span.name for part in trial.parts] or [""]
        return exported(
            trial.axes, [(name, results.part(at)) for at, name in enumerate(names)], self._labels(trial), form
        )

    def looks(self, trial: StoredTrial) -> int:
        """How often the held-back part of a trial was looked at with its script; 0 without one."""
        if trial.held_back is None:
            return 0
        return self._trials.store.looks(trial.title, markets_of(trial.order, trial.axes), trial.held_back)

    def looks_ever(self, trial: StoredTrial) -> int:
        """How often anything that was held back from a trial's script was looked at on its markets."""
        return self._trials.store.looks(trial.title, markets_of(trial.order, trial.axes))

    def look(self, number: int, point: int) -> tuple[Figures, int]:
        """A point's figures on the held-back part, and how often it was looked at by now: the look is counted first.

        Raises ConflictError when nothing is held back.
        """
        trial = self.trial(number)
        if trial.held_back is None:
            raise ConflictError(f"trial {number} holds nothing back: start one with a third part in its split")
        chosen = point_at(trial.axes, point)
        is_varied = any(axis.is_place and axis.name == "market" for axis in trial.axes)
        market = str(chosen["market"]) if is_varied else trial.order.setup.market
        self._trials.store.look(trial.title, market, trial.held_back)
        figures = self._trials.layout(trial.order).sweep.run_one(chosen, span=trial.held_back)
        return figures, self.looks(trial)

    def script_of(self, number: int, point: int) -> str:
        """The strategy that a point of a signal search is, as a script of its own.

        Raises ConflictError for other kinds of trials.
        """
        trial = self.trial(number)
        if trial.order.kind != "search":
            raise ConflictError(f"trial {number} is no signal search: its runs are the script with other inputs")
        found, chosen = self._trials.layout(trial.order).search, point_at(trial.axes, point)
        assert found is not None
        return found.strategy(str(chosen[CHOICE]), str(chosen["sides"]))

    def _sides(self, trial: StoredTrial, view: View) -> tuple[Ranking, Ranking | None]:
        is_split = len(trial.parts) > 1 and trial.order.kind != "walk"
        return self.ranking(trial, view), self.ranking(trial, view, 1) if is_split else None

    def _labels(self, trial: StoredTrial) -> dict[str, str]:
        return self._trials.layout(trial.order).labels if trial.order.kind == "search" else {}
