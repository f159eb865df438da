"""The live loop: a setup in, everything the Workbench shows out; chart windows of the last runs."""

import time
from collections import OrderedDict
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property, partial
from threading import Timer
from typing import Any

import numpy as np

from skelb.core.bars import Bars, Timeframe
from skelb.core.catalogue import YES
from skelb.core.engine import Outcome, Pool, run
from skelb.core.errors import NotFoundError, SettingsError, SkelbError
from skelb.core.explain import Explainer, funnel_of, sieves_of, why_sentences
from skelb.core.export import (
    Charted,
    ChartWindow,
    Lens,
    Scene,
    alert_rows,
    count_alerts,
    evenly,
    legend_of,
    lens_of,
    overview_of,
    scene_of,
    signal_sentences,
    spread,
    time_text,
    timed_findings,
    window_of,
)
from skelb.core.figures import Figures, Record, figures_of, record_of
from skelb.core.language import utf16_offset
from skelb.core.language.tree import Side
from skelb.core.trials import Sweep
from skelb.service.backtest import Result
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.logbook import Logbook
from skelb.service.prepared import Prepared
from skelb.service.setup import Setup
from skelb.service.shown import (
    AlertsShown,
    BarExplained,
    FiguresBySide,
    FunnelShown,
    InputShown,
    LevelsInForce,
    LotShown,
    Ran,
    RunShown,
    TradeColumns,
)
from skelb.service.tallies import Tallies, try_of
from skelb.store import StoreError

_NEWEST_ALERTS = 200
_MOST_RUNS = 6
_LOOKED_S = 4.0  # what stays in view for longer was looked at
_MOST_LEVELS = 4_000
_POSITIONS: dict[int, Side | None] = {1: "long", -1: "short", 0: None}


@dataclass(frozen=True, eq=False)
class LiveRun:
    """A run that is being looked at, on its own bars or on those of another timeframe."""

    key: str
    scene: Scene
    explainer: Explainer
    result: Result
    on: Charted

    @property
    def outcome(self) -> Outcome:
        """What the run left behind."""
        return self.result.outcome

    @cached_property
    def signals(self) -> dict[Side, str]:
        """Where its signals went, worked out with the first question about a bar."""
        return signal_sentences(self.outcome)


class Workbench:
    """One page's live loop. Not shared among threads: the page asks one thing at a time."""

    def __init__(self, library: Library, datasets: Datasets, tallies: Tallies, logbook: Logbook | None = None) -> None:
        self._library, self._datasets, self._tallies, self._logbook = library, datasets, tallies, logbook
        self._looking: Timer | None = None
        self._runs: OrderedDict[str, LiveRun] = OrderedDict()
        self._tried: tuple[str, Prepared, Sweep] | None = None
        self._pool = Pool()

    def run(self, setup: Setup) -> Ran:
        """Check and run a setup: what the script asks for always, a run when it is sound.

        Raises SkelbError when the market, account, timeframe or dates cannot be.
        """
        started = time.perf_counter()
        self.look_away()
        prepared = setup.prepared(self._library, self._datasets).alone()
        checked, shown, problem = prepared.checked, None, None
        if checked.is_sound:
            try:
                result = prepared.backtest()
            except SkelbError as exc:
                problem = str(exc)
            else:
                shown = self._keep(setup, prepared, result)
                self._count(prepared, record_of(result.outcome), {})
                if checked.has_entries:
                    self._look(setup, checked.title, result.figures["all"])
        inputs = [InputShown.of(found) for found in checked.inputs.values()]
        return Ran(
            checked.is_sound, checked.title, inputs, shown, problem, took_ms=(time.perf_counter() - started) * 1000.0
        )

    def look_away(self) -> None:
        """What was run last is no longer in view; if it was for some seconds, it is remembered."""
        if self._looking is not None:
            self._looking.cancel()
            self._looking = None

    def _look(self, setup: Setup, title: str, figures: Figures) -> None:
        logbook = self._logbook
        if logbook is None:
            return

        def remember() -> None:
            with suppress(StoreError):  # a look that cannot be remembered is no trouble to whoever looks
                logbook.saw(setup, title, figures)

        self._looking = Timer(_LOOKED_S, remember)
        self._looking.daemon = True
        self._looking.start()

    def explain(self, key: str, bar: int) -> BarExplained:
        """A run's script as it reads on a bar, and why it did what it did there; over the run, where signals went.

        Raises NotFoundError when the run is no longer held or the bar is not one of its dates.
        """
        live = self._held(key)
        try:
            found, readings = live.explainer.readings(live.on.run_bar(bar))
        except IndexError as exc:
            raise NotFoundError("this bar is not one of the run's dates") from exc
        place = partial(utf16_offset, live.explainer.checked.source)
        dataset, entries, moment = live.outcome.plan.dataset, live.outcome.plan.entries, found.moment
        return BarExplained(
            time=time_text(dataset.bars.time[found.bar]),
            close_time=time_text(dataset.calendar.close_time[found.bar]),
            position=_POSITIONS[moment.side],
            lots=[LotShown(entries[lot.rule].name, lot.units, lot.price, lot.stop, lot.target) for lot in moment.lots],
            happened=found.happened,
            waiting=found.waiting,
            why=why_sentences(found),
            lines=[replace(line, end=place(line.end)) for line in readings.lines],
            marks=[replace(mark, start=place(mark.start), end=place(mark.end)) for mark in readings.marks],
            signals=live.signals,
        )

    def figures_with(self, setup: Setup, name: str, value: float | bool | str) -> Figures | None:
        """The figures of a setup with one input at another value, None where it cannot run with that value.

        Raises SkelbError when the setup itself cannot be.
        """
        key = setup.key
        if self._tried is None or self._tried[0] != key:
            prepared = setup.prepared(self._library, self._datasets).sound().alone()
            self._tried = (key, prepared, prepared.sweep())
        _, prepared, sweep = self._tried
        try:
            record = sweep.record({name: value}, self._pool)
        except SettingsError:
            return None
        self._count(prepared, record, {name: value})
        return figures_of(record)

    def _count(self, prepared: Prepared, record: Record, varied: Mapping[str, Any]) -> None:
        """What a page shows of a strategy was looked at, `varied` from what is chosen."""
        seen = try_of(prepared, record, "typed", varied)
        if seen is not None:
            self._tallies.saw(prepared.checked.title, prepared.dataset, seen)

    def next_yes(self, key: str, lane: str, bar: int, way: int) -> int | None:
        """The nearest bar after `bar` (before it with `way` -1) on which a lane turns yes; None when there is none.

        Raises NotFoundError when the run is no longer held or has no such lane.
        """
        live = self._held(key)
        found = next((item for item in live.scene.lanes if item.name == lane), None)
        if found is None:
            raise NotFoundError(f"this run has no lane `{lane}`")
        yes = spread(live.scene.expressions.value(found.value), len(live.scene.dataset)) == YES
        turns = np.flatnonzero(yes & ~np.concatenate(([False], yes[:-1])))
        turns = live.on.bars_of(turns[(turns >= live.outcome.first) & (turns <= live.outcome.last)])
        beyond = turns[turns > bar] if way > 0 else turns[turns < bar]
        return None if beyond.size == 0 else int(beyond[0 if way > 0 else -1])

    def figures_until(self, key: str, bar: int) -> tuple[int, Figures]:
        """When `bar` closes, and a run's figures as if the data ended there: an open position is closed, with costs.

        Raises NotFoundError when the run is no longer held or the bar is not one of its dates.
        """
        live = self._held(key)
        _check_bar(live, bar)
        plan = replace(live.outcome.plan, last=bar)
        closes = int(plan.dataset.calendar.close_time[bar])
        return closes, figures_of(record_of(run(plan, live.explainer.account, self._pool)))

    def funnel(self, key: str) -> FunnelShown:
        """How many bars each entry rule's parts let through, and where each side's signals went.

        Raises NotFoundError when the run is no longer held.
        """
        live = self._held(key)
        rules = sieves_of(live.explainer.checked, live.outcome)
        return FunnelShown(rules, [funnel_of(live.outcome, side) for side in dict.fromkeys(r.side for r in rules)])

    def lens(self, key: str, bar: int) -> Lens:
        """The finer bars of a bar as columns, and the fills inside it. Raises NotFoundError as `explain` does."""
        live = self._held(key)
        symbol = live.outcome.plan.dataset.market.symbol
        return lens_of(live.outcome, _run_bar(live, bar), self._datasets.get(symbol, None))

    def levels(self, key: str, first: int, last: int) -> list[LevelsInForce]:
        """Stop and target of every open lot on each of at most 4,000 bars. Raises NotFoundError when the run is
        gone."""
        live = self._held(key)
        first, last = max(0, first), min(last, first + _MOST_LEVELS, live.on.size - 1)
        if first > last:
            return []
        at_work = live.on.within[first : last + 1]
        begin, end = max(int(at_work[0]), live.outcome.first), min(int(at_work[-1]), live.outcome.last)
        if begin > end or end - begin > _MOST_LEVELS:
            return []
        of_bar = {bar: (side, lots) for bar, side, lots in live.explainer.levels(begin, end)}
        return [
            LevelsInForce(bar, "long" if side > 0 else "short", lot.stop, lot.target)
            for bar, run_bar in enumerate(at_work.tolist(), first)
            if run_bar in of_bar
            for side, lots in (of_bar[run_bar],)
            for lot in lots
        ]

    def bars_at(self, key: str, times: list[int], closed: bool = False) -> list[int]:
        """The bar that is open at each moment, or the last before it; with `closed` the last that has closed by then.

        Raises NotFoundError when the run is gone.
        """
        on, moments = self._held(key).on, np.array(times, np.int64)
        return [int(bar) for bar in (on.closed_at(moments) if closed else on.bars_at(moments))]

    def chart(self, key: str, timeframe: str) -> RunShown:
        """A run drawn on bars of another timeframe of its market: a key to ask by, and what the page draws of it.

        Raises NotFoundError when the run is gone, SkelbError when the timeframe cannot be.
        """
        live = self._held(key)
        of = live.on.of
        wanted = Timeframe.parse(timeframe)
        chart = of if wanted == of.bars.timeframe else self._datasets.get(of.market.symbol, wanted)
        drawn = replace(live, key=f"{live.key}@{wanted}", on=Charted(of, chart))
        self._hold(drawn)
        return _shown(drawn)

    def _held(self, key: str) -> LiveRun:
        found = self._runs.get(key)
        if found is None:
            raise NotFoundError("this run is no longer held: ask for it again")
        return found

    def window(self, key: str, first: int, last: int, columns: int) -> ChartWindow:
        """Part of a run's chart. Raises NotFoundError when the run is no longer held."""
        found = self._held(key)
        return window_of(found.scene, found.outcome, first, last, min(max(columns, 1), 6000), found.on)

    def _keep(self, setup: Setup, prepared: Prepared, result: Result) -> RunShown:
        outcome, dataset = result.outcome, result.outcome.plan.dataset
        key = f"{setup.key}.{dataset.data_version}"
        explainer = Explainer(prepared.checked, outcome.plan, prepared.account)
        scene = scene_of(prepared.checked, outcome.plan.expressions, dataset)
        live = LiveRun(key, scene, explainer, result, Charted.own(dataset))
        self._hold(live)
        return _shown(live)

    def _hold(self, live: LiveRun) -> None:
        self._runs[live.key] = live
        self._runs.move_to_end(live.key)
        while len(self._runs) > _MOST_RUNS:
            self._runs.popitem(last=False)


def _shown(live: LiveRun) -> RunShown:
    """What the page draws and lists of a run; places are those of the chart's bars."""
    outcome, dataset, on = live.outcome, live.outcome.plan.dataset, live.on
    first, last = (int(bar) for bar in on.bars_of(np.array([outcome.first, outcome.last])))
    return RunShown(
        key=live.key,
        bars=on.size,
        first=first,
        last=last,
        timeframe=str(on.chart.bars.timeframe),
        tick=dataset.market.tick,
        zone=dataset.market.zone,
        data_version=dataset.data_version,
        is_strategy=live.explainer.checked.has_entries,
        has_moving_levels=bool(outcome.plan.rules.levels.is_moving),
        figures=FiguresBySide(**live.result.figures),
        findings=timed_findings(outcome, live.result.findings),
        scene=legend_of(live.scene),
        overview=overview_of(outcome, on=on),
        trades=TradeColumns.of(outcome, on),
        alerts=AlertsShown(
            count_alerts(outcome, live.explainer.checked), alert_rows(outcome, live.explainer.checked, _NEWEST_ALERTS)
        ),
    )


def _run_bar(live: LiveRun, bar: int) -> int:
    """The bar of the run that a chart's bar sees. Raises NotFoundError when it is not one of the run's dates."""
    try:
        found = live.on.run_bar(bar)
    except IndexError:
        found = -1
    if not live.outcome.first <= found <= live.outcome.last:
        raise NotFoundError("this bar is not one of the run's dates")
    return found


def _check_bar(live: LiveRun, bar: int) -> None:
    if not live.outcome.first <= bar <= live.outcome.last:
        raise NotFoundError("this bar is not one of the run's dates")


@dataclass(frozen=True, slots=True)
class Closes:
    """A few closes over time, seconds since 1970 UTC, to draw what a file or market holds."""

    time: list[int]
    close: list[float]

    @classmethod
    def of(cls, bars: Bars, points: int = 300) -> "Closes":
        """Evenly chosen closes of bars."""
        ends = evenly(len(bars), points)
        return cls(bars.time[ends].tolist(), bars.close[ends].tolist())
