"""How the catalogue describes a built-in name or function."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

from skelb.core.bars import Bars, Calendar, Floats, Market

Kind = Literal["number", "condition", "word", "time"]
ArgumentKind = Literal["number", "condition", "any", "length", "factor", "word"]


@dataclass(frozen=True, eq=False)
class Frame:
    """What built-ins are computed from: session bars, their calendar, and the market."""

    bars: Bars
    calendar: Calendar
    market: Market


@dataclass(frozen=True)
class Parameter:
    """One argument: `length` is a constant whole number of bars from `least`, `factor` a constant number.

    A `word` is one of `words`, or an input that holds one of them.
    """

    name: str
    kind: ArgumentKind
    default: float | None = None
    least: int = 1
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class Function:
    """One function of the language with its documentation.

    `compute(frame, *arguments)` returns float64 of shape (n,) (or int8 for conditions), or one such array per
    field. Element i reads bars 0 to i only. Unknown is NaN; see `conditions` for unknown conditions.
    `first_known` is a formula in the parameters for the index of the first known bar.
    """

    name: str
    family: str
    parameters: tuple[Parameter, ...]
    summary: str
    formula: str
    source: str
    seed: str
    first_known: str
    compute: Callable[..., Any]
    fields: tuple[str, ...] = ()
    result: Literal["number", "condition", "same"] = "number"
    bounded: tuple[float, float] | None = None

    @cached_property
    def signature(self) -> str:
        """The call as a user would write it, defaults included."""
        parts = [item.name if item.default is None else f"{item.name} = {item.default:g}" for item in self.parameters]
        return f"{self.name}({', '.join(parts)})" if parts else self.name


@dataclass(frozen=True)
class BuiltIn:
    """One built-in name: a series of the bars or the calendar, or a record of them (`fields`)."""

    name: str
    kind: Kind
    summary: str
    compute: Callable[[Frame], Any]
    words: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()


Record = Mapping[str, Floats]
