"""What a sweep varies, and the points that makes: each a value on every axis, numbered with the last axis fastest."""

from dataclasses import dataclass
from math import floor, prod

from skelb.core.bars import Timeframe
from skelb.core.errors import SettingsError
from skelb.core.language import Checked
from skelb.core.plan import InputValue, option_values, read_value

MOST_RUNS = 200_000
_MOST_VALUES = 2_000
_MOST_POINTS = 2**53  # a number up to here is exact in JSON
_SIDES = ("both", "long", "short")
PLACE_AXES = ("timeframe", "market", "sides")

Point = dict[str, InputValue]


@dataclass(frozen=True)
class Axis:
    """One input, or the timeframe, the market or the sides, and the values it takes, in order.

    On an `ordered` axis the values beside one another are alike; words are not. `is_place` says that it is no input.
    """

    name: str
    values: tuple[InputValue, ...]
    ordered: bool = True
    is_place: bool = False


def read_axis(text: str, checked: Checked) -> Axis:
    """The axis written as `fast=5..50:5`, `kind=sma,ema` or just `fast` (the input's own range).

    Besides inputs, `timeframe=15m,1h`, `market=KELP,BRIN` and `sides=long,short` can vary; an input of that name goes
    first. Raises SettingsError when there is no such input or it cannot hold a value.
    """
    name, _, written = text.partition("=")
    name = name.strip()
    if name not in checked.inputs:
        if name in PLACE_AXES:
            return _place_axis(name, [part.strip() for part in written.split(",") if part.strip()])
        known = ", ".join((*checked.inputs, *PLACE_AXES))
        raise SettingsError(f"the script has no input `{name}` to vary; what can vary: {known}")
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
        values = tuple(dict.fromkeys(read_value(checked.inputs[name], part) for part in written.split(",")))
    return Axis(name, values, checked.inputs[name].kind in _ORDERED)


_ORDERED = ("number", "time")


def _place_axis(name: str, written: list[str]) -> Axis:
    if not written:
        raise SettingsError(f"say which values `{name}` takes: {name}={'15m,1h' if name == 'timeframe' else 'A,B'}")
    if name == "timeframe":
        return Axis(
            name, tuple(str(item) for item in sorted({Timeframe.parse(part) for part in written})), is_place=True
        )
    if name == "sides" and (wrong := [part for part in written if part not in _SIDES]):
        raise SettingsError(f"sides are one of {', '.join(_SIDES)}, not `{wrong[0]}`")
    return Axis(name, tuple(dict.fromkeys(written)), ordered=False, is_place=True)


def default_axis(name: str, checked: Checked) -> Axis:
    """The values an input offers by itself: its range by its step, both switch positions, every choice."""
    found = checked.inputs[name]
    if found.kind == "switch":
        return Axis(name, (False, True), ordered=False)
    if found.options:
        return Axis(name, option_values(found), found.kind in _ORDERED)
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
    """How many points the full grid has. Raises SettingsError without axes, on an axis named twice, or beyond 2⁵³."""
    names = [axis.name for axis in axes]
    if len(set(names)) < len(names):
        raise SettingsError("an input can vary on one axis only")
    if not axes:
        raise SettingsError("nothing varies yet: choose at least one input")
    count = prod(len(axis.values) for axis in axes)
    if count > _MOST_POINTS:
        raise SettingsError(f"the grid has {count:,} points; at most {_MOST_POINTS:,}: use coarser steps or fewer axes")
    return count


def point_at(axes: tuple[Axis, ...], number: int) -> Point:
    """The point of a number."""
    found: Point = {}
    for axis in reversed(axes):
        number, place = divmod(number, len(axis.values))
        found[axis.name] = axis.values[place]
    return dict(reversed(found.items()))
