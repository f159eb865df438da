"""A small picture of what a script shows: some bars with its lines, marks and tints."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from skelb.core.catalogue import YES
from skelb.core.export.scene import Column, LegendLevel, legend_of, plain_values, scene_of, spread
from skelb.core.language import Checked
from skelb.core.plan import Dataset, Expressions, InputValue


@dataclass(frozen=True, slots=True)
class PreviewLine:
    """A line with its values; unknown is None."""

    name: str
    panel: str | None
    color: str
    form: str
    values: Column


@dataclass(frozen=True, slots=True)
class PreviewMark:
    """Where a mark is, by bar of the preview."""

    place: str
    color: str
    bars: list[int]


@dataclass(frozen=True, slots=True)
class PreviewTint:
    """Which bars are tinted, by bar of the preview."""

    color: str
    bars: list[int]


@dataclass(frozen=True, slots=True)
class PreviewLane:
    """Where a condition is yes, by bar of the preview."""

    name: str
    bars: list[int]


@dataclass(frozen=True, slots=True)
class Preview:
    """Some bars of a market with what a script shows on them."""

    symbol: str
    timeframe: str
    time: list[int]
    open: list[float]
    high: list[float]
    low: list[float]
    close: list[float]
    lines: list[PreviewLine]
    levels: list[LegendLevel]
    marks: list[PreviewMark]
    tints: list[PreviewTint]
    lanes: list[PreviewLane]


def preview_of(checked: Checked, inputs: Mapping[str, InputValue], dataset: Dataset, first: int, end: int) -> Preview:
    """Bars `first` to before `end` of a dataset with a sound script's lines, level lines, marks and tinted bars.

    Raises SettingsError when the script cannot be computed on these bars.
    """
    scene = scene_of(checked, Expressions(checked, inputs, dataset), dataset)
    size = len(dataset)
    rows = slice(first, end)
    value, shown = scene.expressions.value, dataset.bars.take(rows)

    def yes(number: int) -> list[int]:
        return np.flatnonzero(spread(value(number), size)[rows] == YES).tolist()

    return Preview(
        symbol=dataset.market.symbol,
        timeframe=str(shown.timeframe),
        time=shown.time.tolist(),
        open=shown.open.tolist(),
        high=shown.high.tolist(),
        low=shown.low.tolist(),
        close=shown.close.tolist(),
        lines=[
            PreviewLine(
                line.name, line.panel, line.colors[0], line.form, plain_values(spread(value(line.value), size)[rows])
            )
            for line in scene.lines
        ],
        levels=legend_of(scene).levels,
        marks=[PreviewMark(mark.place, mark.color, yes(mark.condition)) for mark in scene.marks],
        tints=[PreviewTint(tint.color, yes(tint.condition)) for tint in scene.tints],
        lanes=[PreviewLane(lane.name, yes(lane.value)) for lane in scene.lanes],
    )
