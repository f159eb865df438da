"""A small picture of what a script shows: the last bars with its lines, marks and tints."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from skelb.core.catalogue import YES
from skelb.core.export.scene import plain_values, scene_of, spread
from skelb.core.language import Checked
from skelb.core.plan import Dataset, Expressions, InputValue

Document = dict[str, Any]


def preview_document(checked: Checked, inputs: Mapping[str, InputValue], dataset: Dataset, bars: int) -> Document:
    """The last `bars` bars of a dataset with a sound script's lines, level lines, marks and tinted bars.

    Raises SettingsError when the script cannot be computed on these bars.
    """
    scene = scene_of(checked, Expressions(checked, inputs, dataset), dataset)
    size = len(dataset)
    rows = slice(max(0, size - bars), size)
    value = scene.expressions.value

    def yes(number: int) -> list[int]:
        return np.flatnonzero(spread(value(number), size)[rows] == YES).tolist()

    return {
        "symbol": dataset.market.symbol,
        "timeframe": str(dataset.bars.timeframe),
        "time": dataset.bars.time[rows].tolist(),
        **{name: getattr(dataset.bars, name)[rows].tolist() for name in ("open", "high", "low", "close")},
        "lines": [
            {"name": line.name, "panel": line.panel, "color": line.colors[0], "form": line.form,
             "values": plain_values(spread(value(line.value), size)[rows])}
            for line in scene.lines
        ],
        "levels": [{"panel": panel, "value": level} for panel, level in scene.levels],
        "marks": [{"place": mark.place, "color": mark.color, "bars": yes(mark.condition)} for mark in scene.marks],
        "tints": [{"color": tint.color, "bars": yes(tint.condition)} for tint in scene.tints],
        "lanes": [{"name": lane.name, "bars": yes(lane.value)} for lane in scene.lanes],
    }  # fmt: skip
