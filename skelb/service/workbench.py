"""The live loop: a setup in, everything the Workbench shows out; chart windows of the last runs."""

import time
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property, partial
from hashlib import blake2b
from typing import Any

import numpy as np

from skelb.core.bars import Bars, Timeframe
from skelb.core.catalogue import YES
from skelb.core.engine import Outcome, Pool, kernel, run
from skelb.core.errors import NotFoundError, SettingsError, SkelbError
from skelb.core.explain import Explainer, funnel_of, sieves_of, why_sentences
from skelb.core.export import (
    Charted,
    Scene,
    evenly,
    explanation_document,
    finding_rows,
    lens_document,
    overview_document,
    scene_document,
    scene_of,
    signals_document,
    spread,
    window_document,
)
from skelb.core.figures import Figures, Record, daily_of, figures_of, record_of
from skelb.core.language import utf16_offset
from skelb.core.language.tree import Input
from skelb.core.trials import Sweep, Try
from skelb.service.backtest import Result
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.prepared import Prepared
from skelb.service.setup import Setup
from skelb.service.tallies import Tallies, label_of, setting_of

Document = dict[str, Any]
_MOST_RUNS = 6
_MOST_TRADE_ROWS = 50_000
_MOST_LEVELS = 4_000


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
    def signals(self) -> Document:
        """Where its signals went, worked out with the first question about a bar."""
        return signals_document(self.outcome)


class Workbench:
    """One page's live loop. Not shared among threads: the page asks one thing at a time."""

    def __init__(self, library: Library, datasets: Datasets, tallies: Tallies) -> None:
        self._library, self._datasets, self._tallies = library, datasets, tallies
        self._runs: OrderedDict[str, LiveRun] = OrderedDict()
        self._tried: tuple[str, Prepared, Sweep] | None = None
        self._pool = Pool()

    def run(self, setup: Setup) -> Document:
        """Check and run a setup: diagnostics always, a run when the script is sound.

        Raises SkelbError when the market, account, timeframe or dates cannot be.
        """
        started = time.perf_counter()
        prepared = setup.prepared(self._library, self._datasets)
        checked = prepared.checked
        document: Document = {"sound": checked.is_sound, "title": checked.title}
        document["inputs"] = [_input_document(found) for found in checked.inputs.values()]
        document["run"] = None
        document["problem"] = None
        if checked.is_sound:
            try:
                result = prepared.backtest()
            except SkelbError as exc:
                document["problem"] = str(exc)
            else:
                document["run"] = self._keep(setup, prepared, result)
                self._count(prepared, record_of(result.outcome), {})
        document["took_ms"] = (time.perf_counter() - started) * 1000.0
        return document

    def explain(self, key: str, bar: int) -> Document:
        """A run's script as it reads on a bar, and why it did what it did there; over the run, where signals went.

        Raises NotFoundError when the run is no longer held or the bar is not one of its dates.
        """
        found = self._held(key)
        try:
            explanation, readings = found.explainer.readings(found.on.run_bar(bar))
        except IndexError as exc:
            raise NotFoundError("this bar is not one of the run's dates") from exc
        place = partial(utf16_offset, found.explainer.checked.source)
        return {
            **explanation_document(explanation, found.outcome),
            "bar": bar,
            "why": why_sentences(explanation),
            "lines": [{"end": place(line.end), "text": line.text, "tone": line.tone} for line in readings.lines],
            "marks": [{"start": place(m.start), "end": place(m.end), "tone": m.tone} for m in readings.marks],
            "signals": found.signals,
        }

    def figures_with(self, setup: Setup, name: str, value: float | bool | str) -> Figures | None:
        """The figures of a setup with one input at another value, None where it cannot run with that value.

        Raises SkelbError when the setup itself cannot be.
        """
        key = setup.model_dump_json()
        if self._tried is None or self._tried[0] != key:
            prepared = setup.prepared(self._library, self._datasets).sound()
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
        checked, dataset, choices = prepared.checked, prepared.dataset, prepared.choices
        daily = daily_of(record) if checked.has_entries else None
        if daily is not None:
            setting = setting_of(checked.source, choices.sides, choices.inverted, {**prepared.inputs, **varied})
            seen = Try(label_of(dataset, {**choices.inputs, **varied}, "typed"), setting, daily)
            self._tallies.saw(checked.title, dataset, seen)

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

    def funnel(self, key: str) -> Document:
        """How many bars each entry rule's parts let through, and where each side's signals went.

        Raises NotFoundError when the run is no longer held.
        """
        live = self._held(key)
        rules = [
            {
                "rule": sieve.rule,
                "side": sieve.side,
                "bars": sieve.bars,
                "passed": [{"text": text, "left": left} for text, left in sieve.passed],
            }
            for sieve in sieves_of(live.explainer.checked, live.outcome)
        ]
        sides = []
        for side in dict.fromkeys(rule["side"] for rule in rules):
            funnel = funnel_of(live.outcome, str(side))
            reasons = [{"reason": reason, "count": count} for reason, count in funnel.reasons]
            sides.append({"side": side, "signals": funnel.signals, "traded": funnel.traded, "reasons": reasons})
        return {"rules": rules, "sides": sides}

    def lens(self, key: str, bar: int) -> Document:
        """The finer bars of a bar as columns, and the fills inside it. Raises NotFoundError as `explain` does."""
        live = self._held(key)
        symbol = live.outcome.plan.dataset.market.symbol
        return lens_document(live.outcome, _run_bar(live, bar), self._datasets.get(symbol, None))

    def levels(self, key: str, first: int, last: int) -> list[Document]:
        """Stop and target of every open lot on each of at most 4,000 bars. Raises NotFoundError when the run is gone."""
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
            {"bar": bar, "side": "long" if side > 0 else "short", "stop": lot.stop, "target": lot.target}
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

    def chart(self, key: str, timeframe: str) -> Document:
        """A run drawn on bars of another timeframe of its market: a key to ask by, and what the page draws of it.

        Raises NotFoundError when the run is gone, SkelbError when the timeframe cannot be.
        """
        live = self._held(key)
        of = live.on.of
        wanted = Timeframe.parse(timeframe)
        chart = of if wanted == of.bars.timeframe else self._datasets.get(of.market.symbol, wanted)
        drawn = replace(live, key=f"{live.key}@{wanted}", on=Charted(of, chart))
        self._hold(drawn)
        return {"chart": _run_document(drawn)}

    def _held(self, key: str) -> LiveRun:
        found = self._runs.get(key)
        if found is None:
            raise NotFoundError("this run is no longer held: ask for it again")
        return found

    def window(self, key: str, first: int, last: int, columns: int) -> Document:
        """Part of a run's chart. Raises NotFoundError when the run is no longer held."""
        found = self._held(key)
        return window_document(found.scene, found.outcome, first, last, min(max(columns, 1), 6000), found.on)

    def _keep(self, setup: Setup, prepared: Prepared, result: Result) -> Document:
        outcome, dataset = result.outcome, result.outcome.plan.dataset
        key = blake2b(f"{setup.model_dump_json()} {dataset.data_version}".encode(), digest_size=8).hexdigest()
        explainer = Explainer(prepared.checked, outcome.plan, prepared.account)
        scene = scene_of(prepared.checked, outcome.plan.expressions, dataset)
        live = LiveRun(key, scene, explainer, result, Charted.own(dataset))
        self._hold(live)
        return _run_document(live)

    def _hold(self, live: LiveRun) -> None:
        self._runs[live.key] = live
        self._runs.move_to_end(live.key)
        while len(self._runs) > _MOST_RUNS:
            self._runs.popitem(last=False)


def _run_document(live: LiveRun) -> Document:
    """What the page draws and lists of a run; places are those of the chart's bars."""
    outcome, dataset, on = live.outcome, live.outcome.plan.dataset, live.on
    first, last = (int(bar) for bar in on.bars_of(np.array([outcome.first, outcome.last])))
    return {
        "key": live.key,
        "bars": on.size,
        "first": first,
        "last": last,
        "timeframe": str(on.chart.bars.timeframe),
        "tick": dataset.market.tick,
        "zone": dataset.market.zone,
        "data_version": dataset.data_version,
        "is_strategy": live.explainer.checked.has_entries,
        "has_moving_levels": bool(outcome.plan.rules.levels.is_moving),
        "figures": live.result.figures,
        "findings": finding_rows(outcome, live.result.findings),
        "scene": scene_document(live.scene),
        "overview": overview_document(outcome, on=on),
        "trades": trade_columns(outcome, on),
    }


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


def trade_columns(outcome: Outcome, on: Charted) -> Document:
    """The trades as columns, newest 50,000 at most; names stand once, in `rules` and `reasons`; bars are the chart's."""
    trades = outcome.trades
    entered = outcome.values(trades.entry_bar, np.zeros_like(trades.entry_bar))  # a fill at a close is the next bar's
    rows = slice(max(0, len(trades) - _MOST_TRADE_ROWS), len(trades))
    names: dict[str, int] = {}
    reasons = [names.setdefault(outcome.exit_reason(row), len(names)) for row in range(rows.start, rows.stop)]
    of = trades.numbers[rows]
    return {
        "first_number": rows.start + 1,
        "side": trades.side[rows].tolist(),
        "entry_bar": on.entry_bars(outcome)[rows].tolist(),
        "exit_bar": on.exit_bars(outcome)[rows].tolist(),
        "entry_time": outcome.entry_times()[rows].tolist(),
        "exit_time": outcome.exit_times()[rows].tolist(),
        "entry_price": _shown(of[:, kernel.TF_ENTRY_PRICE]),
        "exit_price": _shown(of[:, kernel.TF_EXIT_PRICE]),
        "entry_mid": _shown(of[:, kernel.TF_ENTRY_MID]),
        "exit_mid": _shown(of[:, kernel.TF_EXIT_MID]),
        "units": _shown(of[:, kernel.TF_UNITS]),
        "gross": _shown(of[:, kernel.TF_GROSS]),
        "commission": _shown(of[:, kernel.TF_COMMISSION]),
        "spread": _shown(of[:, kernel.TF_SPREAD]),
        "slippage": _shown(of[:, kernel.TF_SLIPPAGE]),
        "financing": _shown(of[:, kernel.TF_FINANCING]),
        "net": _shown(of[:, kernel.TF_NET]),
        "percent": _shown(_percents(of, entered[rows])),
        "r": _shown(of[:, kernel.TF_R]),
        "stop": _shown(of[:, kernel.TF_STOP]),
        "target": _shown(of[:, kernel.TF_TARGET]),
        "best": _shown(of[:, kernel.TF_BEST]),
        "worst": _shown(of[:, kernel.TF_WORST]),
        "bars_held": trades.bars_held[rows].tolist(),
        "rule": trades.whole[rows, kernel.TI_ENTRY_RULE].tolist(),
        "rules": [rule.name for rule in outcome.plan.entries],
        "reason": reasons,
        "reasons": list(names),
    }


def _percents(of: np.ndarray, worth: np.ndarray) -> np.ndarray:
    """Net in percent of what each entry was worth, unknown where that is nothing, shape (trades,)."""
    notional = of[:, kernel.TF_UNITS] * of[:, kernel.TF_ENTRY_PRICE] * worth
    found = np.full(len(of), np.nan)
    np.divide(of[:, kernel.TF_NET] * 100.0, notional, out=found, where=notional != 0)
    return found


def _shown(values: np.ndarray) -> list[float | None]:
    """Numbers to ten digits of the largest, unknown as None: a screen shows fewer, and a long answer holds up typing."""
    known = np.abs(values[np.isfinite(values)])
    largest = float(known.max(initial=0.0))
    digits = 9 - int(np.floor(np.log10(largest))) if largest > 0 else 0
    rounded = np.round(values, max(0, digits)).tolist()
    return [None if item != item else item for item in rounded]


def _input_document(found: Input) -> Document:
    return {
        "name": found.name,
        "kind": found.kind,
        "default": found.default,
        "low": found.low,
        "high": found.high,
        "step": found.step,
        "options": list(found.options),
        "label": found.label,
    }


def market_preview(bars: Bars, points: int = 300) -> Document:
    """A few closes over time, to draw what a file or market holds."""
    ends = evenly(len(bars), points)
    return {"time": bars.time[ends].tolist(), "close": bars.close[ends].tolist()}
