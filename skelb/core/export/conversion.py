"""Proving a conversion: a name of the script against a column that came with the bars."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats
from skelb.core.catalogue import UNKNOWN, YES
from skelb.core.errors import SettingsError
from skelb.core.export.documents import time_text
from skelb.core.export.scene import Column, plain_values
from skelb.core.language import Checked
from skelb.core.language.tree import Name
from skelb.core.plan import Dataset, Expressions, compare_values

_CHART_BARS = 160


@dataclass(frozen=True, slots=True)
class ComparedBar:
    """A bar on which both values are known."""

    bar: int
    time: str
    found: float
    original: float


@dataclass(frozen=True, slots=True)
class Conversion:
    """How a name of the script compares with a column of the original's values, bar by bar."""

    name: str
    column: str
    equal: bool
    verdict: str
    compared: int
    differing: int
    only_here: int
    only_there: int
    tolerance: float
    largest_difference: float | None
    first: ComparedBar | None
    largest: ComparedBar | None


@dataclass(frozen=True, slots=True)
class ConversionChart:
    """Both series and their difference from bar `first` on; times are seconds since 1970 UTC."""

    first: int
    time: list[int]
    found: Column
    original: Column
    difference: Column


def conversion_of(
    checked: Checked,
    expressions: Expressions,
    dataset: Dataset,
    column: str,
    name: str | None = None,
    tolerance: float | None = None,
) -> Conversion:
    """`series --against --json`: how a name (`bands.upper` for a field) compares with a column of the original's
    values.

    Without a name it is the one called like the column, or the only one that is drawn on every bar. Raises
    SettingsError when there is no such column or name.
    """
    found_column = dataset.bars.columns.get(column)
    if found_column is None:
        listed = ", ".join(dataset.bars.columns) or "none"
        raise SettingsError(f"the bars have no further column `{column}`; they have: {listed}")
    values = _comparable(checked, expressions, dataset)
    wanted = name or (column if column in values else next(iter(values), "") if len(values) == 1 else "")
    if wanted not in values:
        listed = ", ".join(values) or "none"
        raise SettingsError(f"say which name to compare with `{column}`; the script's names are: {listed}")
    found = values[wanted]()
    original = np.asarray(found_column, np.float64)
    result = compare_values(found, original, tolerance)

    def place(bar: int | None) -> ComparedBar | None:
        if bar is None:
            return None
        time = time_text(dataset.bars.time[bar])
        return ComparedBar(bar, time, float(found[bar]), float(original[bar]))

    return Conversion(
        name=wanted,
        column=column,
        equal=result.is_equal,
        verdict=result.verdict,
        compared=result.compared,
        differing=result.differing,
        only_here=result.only_here,
        only_there=result.only_there,
        tolerance=result.tolerance,
        largest_difference=result.largest,
        first=place(result.first),
        largest=place(result.largest_bar) if result.largest else None,
    )


def _comparable(checked: Checked, expressions: Expressions, dataset: Dataset) -> dict[str, Callable[[], Floats]]:
    """How to get every named number and condition as float64, shape (n,): conditions as 0 and 1, unknown as NaN."""
    return {name: lambda name=name: _values(name, expressions, len(dataset)) for name in conversion_names(checked)}  # type: ignore[misc]


def _values(name: str, expressions: Expressions, size: int) -> Floats:
    base, _, field = name.partition(".")
    value = expressions.of(Name(base, (0, 0)))
    spread = np.broadcast_to(value[field] if field else value, size)
    return np.where(spread == UNKNOWN, np.nan, spread == YES) if spread.dtype == np.int8 else spread


def conversion_names(checked: Checked) -> list[str]:
    """The names that can be compared, a record's fields one by one."""
    found = []
    for name in checked.shown_names:
        meaning = checked.meanings[name]
        if meaning.kind == "record":
            found += [f"{name}.{field}" for field in meaning.fields]
        elif meaning.kind in ("number", "condition"):
            found.append(name)
    return found


def conversion_chart(
    checked: Checked, expressions: Expressions, dataset: Dataset, compared: Conversion
) -> ConversionChart:
    """Both series and their difference on some bars around the first difference, or the last bars where equal."""
    at = compared.first.bar if compared.first else len(dataset) - _CHART_BARS // 2
    start = max(0, min(at - _CHART_BARS // 2, len(dataset) - _CHART_BARS))
    rows = slice(start, start + _CHART_BARS)
    found = _comparable(checked, expressions, dataset)[compared.name]()[rows]
    original = np.asarray(dataset.bars.columns[compared.column], np.float64)[rows]
    return ConversionChart(
        first=start,
        time=dataset.bars.time[rows].tolist(),
        found=plain_values(found),
        original=plain_values(original),
        difference=plain_values(found - original),
    )
