"""How the catalogue describes a built-in name or function."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from skelb.core.bars import Bars, Bools, Calendar, Floats, Market

NONE_TRIED: Bools = np.zeros(1, np.bool_)

Kind = Literal["number", "condition", "word", "time"]
ArgumentKind = Literal["number", "condition", "any", "length", "factor", "word"]


Turns = Literal[
    "price", "change", "swing", "even", "condition",
    "as x", "as all", "odd", "linear", "size", "absolute", "swing of x", "product", "cannot",
]  # fmt: skip


@dataclass(frozen=True)
class Mirroring:
    """What becomes of a value when prices are turned upside down (every price `p` is `c - p`).

    A *price* does as prices do, a *change* changes its sign, a *swing* goes from one end of `bounded` to the other,
    an *even* value and a *condition* stay. Others go by what they are given (the first argument, `x`): *as x*; *as all*
    of several, which must be of one sort; *odd*, a change of a price, change or swing; *linear*, the same sort but never
    of a price; *size*, even of any; *absolute*, even but not of a price; *swing of x*; a *product* is turned where one of
    x and y is; what *cannot* be told is said. An even x stays even in all of them.

    What is turned may have another function, field or name `instead`, an argument that lies as far from another end
    (`ends`), and two arguments that change places (`crossed`). `is_exact` where the mirror image trades on the same bars; otherwise only nearly so, as prices matter there
    and not their differences alone.
    """

    turns: Turns
    instead: str = ""
    ends: tuple[str, float] | None = None
    crossed: tuple[str, str] | None = None
    is_exact: bool = True

    def exchanged(self, instead: str) -> "Mirroring":
        """The same with another in its place."""
        return replace(self, instead=instead)

    def across(self, argument: str, end: float) -> "Mirroring":
        """The same with an argument that becomes `end` less it."""
        return replace(self, ends=(argument, end))

    def crossing(self, argument: str, other: str) -> "Mirroring":
        """The same with two arguments that change places."""
        return replace(self, crossed=(argument, other))

    def nearly(self) -> "Mirroring":
        """The same, not to the last bar."""
        return replace(self, is_exact=False)


PRICE, CHANGE, SWING, EVEN, CONDITION = (
    Mirroring(turns) for turns in ("price", "change", "swing", "even", "condition")
)
AS_X, AS_ALL, ODD, LINEAR = Mirroring("as x"), Mirroring("as all"), Mirroring("odd"), Mirroring("linear")
SIZE, ABSOLUTE, SWING_OF_X = Mirroring("size"), Mirroring("absolute"), Mirroring("swing of x")
PRODUCT, CANNOT = Mirroring("product"), Mirroring("cannot")


@dataclass(frozen=True, eq=False)
class Frame:
    """What built-ins are computed from: session bars, their calendar, and the market.

    `tried` : bool, shape (n,), the bars that are only tried, as one that still forms: the bar after such a bar goes on
    from the one before it. Shape (1,), no, where none is.
    """

    bars: Bars
    calendar: Calendar
    market: Market
    tried: Bools = field(default_factory=lambda: NONE_TRIED)


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
    `first_known` is a formula in the parameters for the index of the first known bar. `mirror` is by field where it
    has fields; `example` a call that shows it. Of a bar that forms, the value stands on the last bars alone where
    `reach.REACH` says how many bars count; it `goes_on` from the bar before where it heeds `Frame.tried`; any other is
    computed anew from the start.
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
    mirror: Mirroring | Mapping[str, Mirroring] = field(kw_only=True)
    example: str = field(kw_only=True)
    goes_on: bool = field(default=False, kw_only=True)

    @cached_property
    def signature(self) -> str:
        """The call as a user would write it, defaults included."""
        parts = [item.name if item.default is None else f"{item.name} = {item.default:g}" for item in self.parameters]
        return f"{self.name}({', '.join(parts)})" if parts else self.name


@dataclass(frozen=True)
class BuiltIn:
    """One built-in name: a series of the bars or the calendar, or a record of them (`fields`).

    `mirror` is by field where it has fields. Of a bar that forms the value is known from the bar so far where it is
    `of_one_bar`.
    """

    name: str
    kind: Kind
    summary: str
    compute: Callable[[Frame], Any]
    words: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()
    mirror: Mirroring | Mapping[str, Mirroring] = field(kw_only=True)
    of_one_bar: bool = field(kw_only=True)


@dataclass(frozen=True)
class PositionName:
    """A name whose value exists only while a strategy runs."""

    summary: str
    mirror: Mirroring


Record = Mapping[str, Floats]
