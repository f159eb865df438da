"""What a sweep varies, and the combinations that makes."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product
from math import floor, prod

from skelb.core.errors import SettingsError
from skelb.core.language import Checked
from skelb.core.plan import InputValue, read_value

MOST_RUNS = 200_000
_MOST_VALUES = 2_000


@dataclass(frozen=True)
class Axis:
    """One input and the values it takes, in order."""

    name: str
    values: tuple[InputValue, ...]


def read_axis(text: str, checked: Checked) -> Axis:
    """The axis written as `fast=5..50:5`, `kind=sma,ema` or just `fast` (the input's own range).

    Raises SettingsError when the input does not exist or cannot hold a value.
    """
    name, _, written = text.partition("=")
    name = name.strip()
    if name not in checked.inputs:
        known = ", ".join(checked.inputs) or "none"
        raise SettingsError(f"the script has no input `{name}` to vary; its inputs are: {known}")
    if not written:
        return default_axis(name, checked)
    if ".." in written:
        ends, _, step = written.partition(":")
        low, _, high = ends.partition("..")
        try:
            numbers = float(low), float(high), float(step or 1)
        except ValueError:
            raise SettingsError(f"`{text}` is not a range: write name=5..50:5") from None
        values: tuple[InputValue, ...] = steps_between(*numbers, name)
    else:
        values = tuple(read_value(checked.inputs[name], part) for part in written.split(","))
    return Axis(name, values)


def default_axis(name: str, checked: Checked) -> Axis:
    """The values an input offers by itself: its range by its step, both switch positions, every choice."""
    found = checked.inputs[name]
    if found.kind == "switch":
        return Axis(name, (False, True))
    if found.kind == "choice":
        return Axis(name, found.options)
    if found.low is None or found.high is None:
        raise SettingsError(f"the input `{name}` states no range: write {name}=5..50:5, or `from … to …` in the script")
    step = found.step or max((found.high - found.low) / 10.0, 1e-12)
    return Axis(name, steps_between(found.low, found.high, step, name))


def steps_between(low: float, high: float, step: float, name: str) -> tuple[float, ...]:
    """low, low + step, … up to high (which counts when a step meets it but for rounding).

    >>> steps_between(0.1, 0.3, 0.1, "x")
    (0.1, 0.2, 0.3)
    """
    if not step > 0 or not low <= high:
        raise SettingsError(f"`{name}` cannot go from {low:g} to {high:g} by {step:g}")
    count = floor((high - low) / step + 1e-9) + 1
    if count > _MOST_VALUES:
        raise SettingsError(f"`{name}` would take {count:,} values; at most {_MOST_VALUES:,}")
    return tuple(round(low + index * step, 10) for index in range(count))


def grid_size(axes: tuple[Axis, ...]) -> int:
    """How many runs a full grid makes. Raises SettingsError on an axis named twice or too many runs."""
    names = [axis.name for axis in axes]
    if len(set(names)) < len(names):
        raise SettingsError("an input can vary on one axis only")
    count = prod(len(axis.values) for axis in axes)
    if not axes or count > MOST_RUNS:
        raise SettingsError(f"a sweep makes from 1 to {MOST_RUNS:,} runs; this one would make {count:,}")
    return count


def grid(axes: tuple[Axis, ...]) -> Iterator[dict[str, InputValue]]:
    """Every combination, the last axis fastest."""
    names = [axis.name for axis in axes]
    for values in product(*(axis.values for axis in axes)):
        yield dict(zip(names, values, strict=True))
