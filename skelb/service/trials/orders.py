"""What a trial is asked to do, and what that comes to on the bars at hand."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from skelb.core.bars import Ints
from skelb.core.errors import SettingsError
from skelb.core.plan import Dataset, input_values
from skelb.core.trials import (
    MOST_RUNS,
    READY_CONDITIONS,
    Axis,
    Blocks,
    Cell,
    Search,
    Span,
    Sweep,
    Try,
    Window,
    check_objective,
    design,
    point_at,
    read_axis,
    read_split,
    search_script,
    trading_days,
    windows_by_count,
    windows_by_length,
)
from skelb.service.checking import checked_or_error
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.prepared import Prepared
from skelb.service.setup import Setup
from skelb.service.tallies import label_of, setting_of

HELD_BACK = "held back"


class WindowsOrder(BaseModel):
    """The windows of a walk-forward: so many, or of so many trading days inside and outside."""

    model_config = ConfigDict(extra="forbid")

    count: int = Field(default=6, ge=1, le=200)
    ratio: float = Field(default=4.0, gt=0, le=100)
    inside: int = Field(default=0, ge=0)
    outside: int = Field(default=0, ge=0)
    anchored: bool = False

    def windows(self, days: Ints) -> tuple[Window, ...]:
        """The windows on trading days. Raises SettingsError when they do not fit."""
        if self.inside or self.outside:
            return windows_by_length(days, self.inside, self.outside, self.anchored)
        return windows_by_count(days, self.count, self.ratio, self.anchored)


class SearchOrder(BaseModel):
    """The conditions of a signal search; none means the ready-made ones."""

    model_config = ConfigDict(extra="forbid")

    conditions: list[Annotated[str, Field(max_length=500)]] = Field(default_factory=list, max_length=60)
    most_parts: int = Field(default=2, ge=1, le=3)
    hold: int = Field(default=20, ge=1, le=100_000)


class TrialSettings(BaseModel):
    """What a sweep, a walk-forward or a signal search varies, keeps apart and looks for."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["sweep", "walk", "search"] = "sweep"
    vary: list[Annotated[str, Field(max_length=60_000)]] = Field(default_factory=list, max_length=12)
    objective: str = "return_over_drawdown"
    min_trades: int = Field(default=30, ge=0)
    design: Literal["grid", "random", "latin"] = "grid"
    runs: int = Field(default=0, ge=0)
    seed: int = Field(default=1, ge=0)
    split: str = Field(default="", max_length=60)
    windows: WindowsOrder = WindowsOrder()
    search: SearchOrder = SearchOrder()


class TrialOrder(TrialSettings):
    """A trial of a setup, as it is asked for and stored."""

    setup: Setup


def markets_of(order: TrialOrder, axes: tuple[Axis, ...]) -> tuple[str, ...]:
    """The markets that a trial runs on."""
    if order.setup.basket:
        return order.setup.basket
    varied = next((axis.values for axis in axes if axis.is_place and axis.name == "market"), (order.setup.market,))
    return tuple(map(str, varied))


@dataclass(frozen=True)
class Part:
    """A span that every point runs on; `outside` is what follows it in a walk-forward."""

    span: Span
    outside: Span | None = None


@dataclass(frozen=True, eq=False)
class Layout:
    """What an order comes to: the sweep to run, its axes, the points (None for all), the parts, what is held back.

    Without parts every point runs once, on the setup's dates.
    """

    sweep: Sweep
    title: str
    axes: tuple[Axis, ...]
    numbers: Ints | None
    parts: tuple[Part, ...]
    held_back: Span | None
    search: Search | None

    @property
    def labels(self) -> dict[str, str]:
        """The conditions that a search's words stand for."""
        return self.search.labels if self.search else {}

    @property
    def first_span(self) -> Span | None:
        """The days that a point runs on first; None for all of the setup's."""
        return self.parts[0].span if self.parts else None

    @property
    def is_walk(self) -> bool:
        """Whether every part is a window to choose in; otherwise settings are chosen on the first part alone."""
        return any(part.outside for part in self.parts)

    @cached_property
    def blocks(self) -> Blocks | None:
        """The stretches of the days that settings are chosen on; None where those are too few."""
        calendar, sweep = self.sweep.dataset.calendar, self.sweep
        if not self.parts:
            return Blocks.of(trading_days(calendar.day, sweep.from_date, sweep.to_date))
        spans = [part.span for part in (self.parts if self.is_walk else self.parts[:1])]
        lasts = trading_days(np.array([span.last for span in spans], "datetime64[D]").astype(np.int64))
        days = trading_days(calendar.day, spans[0].first, spans[-1].last)
        return Blocks.of(days, lasts if self.is_walk else None)

    def tries(self, cells: Sequence[Cell], by: str) -> list[tuple[Dataset, list[Try]]]:
        """What of finished runs could have been chosen, by the bars it was tried on; `by` says who tried it.

        What runs on the days outside was chosen before, and counts for nothing; so does a run that lost everything. A
        basket's runs are of no one market's bars: they are not counted.
        """
        if self.sweep.basket:
            return []
        found: dict[tuple[Any, Any], tuple[Dataset, list[Try]]] = {}
        for cell in cells:
            if cell.daily is None or (cell.part and not self.is_walk):
                continue
            point = point_at(self.axes, cell.number)
            place = point.get("market"), point.get("timeframe")
            if place not in found:
                found[place] = self.sweep.dataset_of(point), []
            dataset, tries = found[place]
            setting = setting_of(
                self.sweep.checked.source, self.sweep.sides, self.sweep.inverted, {**self.sweep.fixed, **point}
            )
            told = {name: self.labels.get(str(value), value) for name, value in point.items()}
            tries.append(Try(label_of(dataset, told, by), setting, cell.daily))
        return list(found.values())

    @property
    def total(self) -> int:
        """How many runs that is."""
        points = int(np.prod([len(axis.values) for axis in self.axes])) if self.numbers is None else self.numbers.size
        return points * max(1, len(self.parts))


def laid_out(order: TrialOrder, library: Library, datasets: Datasets) -> Layout:
    """The layout of an order. Raises SkelbError on whatever cannot be run."""
    return layout_of(order, order.setup.prepared(library, datasets).sound())


def layout_of(settings: TrialSettings, prepared: Prepared) -> Layout:
    """The layout of settings on a run with a sound script. Raises SkelbError on whatever cannot be run."""
    check_objective(settings.objective)
    if settings.kind == "search":
        prepared.alone()
    sweep, setting = prepared.sweep(), prepared.setting
    vary, found = list(settings.vary), None
    if settings.kind == "search":
        asked = settings.search
        conditions = asked.conditions or READY_CONDITIONS
        found = search_script(sweep.checked, conditions, setting, asked.most_parts, asked.hold)
        checked = checked_or_error(found.text, setting)
        kept = {name: value for name, value in sweep.fixed.items() if name in checked.inputs}
        sweep = replace(sweep, checked=checked, fixed=input_values(checked, kept))
        vary = [found.vary, *vary, "sides=long,short"]
    axes = tuple(read_axis(item, sweep.checked) for item in vary)
    numbers = design(axes, settings.design, settings.runs, settings.seed)
    days = trading_days(sweep.dataset.calendar.day, sweep.from_date, sweep.to_date)
    parts: tuple[Part, ...] = ()
    held_back = None
    if settings.kind == "walk":
        parts = tuple(Part(window.inside, window.outside) for window in settings.windows.windows(days))
    elif settings.split:
        spans = read_split(settings.split, days)
        parts, held_back = tuple(Part(span) for span in spans[:2]), spans[2] if len(spans) > 2 else None
    found_layout = Layout(
        sweep, sweep.checked.title, axes, None if settings.design == "grid" else numbers, parts, held_back, found
    )
    if found_layout.total > MOST_RUNS:
        raise SettingsError(f"{found_layout.total:,} runs in all parts together; at most {MOST_RUNS:,}: vary less")
    return found_layout
