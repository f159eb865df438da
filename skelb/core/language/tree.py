"""The tree of a script: expressions and statements. Spans are relative to the statement's own text."""

from dataclasses import dataclass
from typing import Literal

from skelb.core.language.diagnostics import Span

Side = Literal["long", "short"]


@dataclass(frozen=True, slots=True)
class Number:
    value: float
    span: Span


@dataclass(frozen=True, slots=True)
class Truth:
    """`yes`, `no` or `unknown`; `on` and `off` in inputs are yes and no."""

    value: str
    span: Span


@dataclass(frozen=True, slots=True)
class Clock:
    """A time of day in minutes, 0 to 1440."""

    minute: int
    span: Span


@dataclass(frozen=True, slots=True)
class Text:
    value: str
    span: Span


@dataclass(frozen=True, slots=True)
class Name:
    name: str
    span: Span


@dataclass(frozen=True, slots=True)
class Field:
    record: "Expression"
    name: str
    name_span: Span
    span: Span


@dataclass(frozen=True, slots=True)
class Argument:
    name: str | None
    value: "Expression"


@dataclass(frozen=True, slots=True)
class Call:
    name: str
    name_span: Span
    arguments: tuple[Argument, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Negative:
    x: "Expression"
    span: Span


@dataclass(frozen=True, slots=True)
class Arithmetic:
    operator: str
    a: "Expression"
    b: "Expression"
    span: Span


@dataclass(frozen=True, slots=True)
class Not:
    x: "Expression"
    span: Span


@dataclass(frozen=True, slots=True)
class Logic:
    """`and` or `or` over two or more parts."""

    operator: str
    parts: tuple["Expression", ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Comparison:
    """A chain such as `30 < x <= 70`: one operator fewer than operands."""

    operands: tuple["Expression", ...]
    operators: tuple[str, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Crossing:
    """`a crosses above b`, `a crosses below b`, `a meets b`."""

    kind: str
    a: "Expression"
    b: "Expression"
    span: Span


@dataclass(frozen=True, slots=True)
class InRange:
    x: "Expression"
    low: "Expression"
    high: "Expression"
    negated: bool
    span: Span


@dataclass(frozen=True, slots=True)
class InSet:
    x: "Expression"
    items: tuple["Expression", ...]
    negated: bool
    span: Span


@dataclass(frozen=True, slots=True)
class Is:
    x: "Expression"
    word: str
    word_span: Span
    negated: bool
    span: Span


@dataclass(frozen=True, slots=True)
class Either:
    """`(a if c else b)`."""

    condition: "Expression"
    yes: "Expression"
    no: "Expression"
    span: Span


@dataclass(frozen=True, slots=True)
class OnTimeframe:
    """`x on 4h`: x computed on that timeframe's bars, seen once they have closed, or with the one that is `forming`.

    `minutes` is a Name when an input holds the timeframe.
    """

    x: "Expression"
    minutes: int | Name
    forming: bool
    span: Span


@dataclass(frozen=True, slots=True)
class FromMarket:
    """`x from "KELP"`: x computed on another market's bars, of the same timeframe unless `minutes` says another.

    `symbol` and `minutes` are Names when inputs hold them.
    """

    x: "Expression"
    symbol: str | Name
    minutes: int | Name | None
    forming: bool
    span: Span


@dataclass(frozen=True, slots=True)
class Sequence:
    """`a then b`, the step within so many bars and unless something comes between."""

    a: "Expression"
    b: "Expression"
    within: "Expression | None"
    unless: "Expression | None"
    span: Span


@dataclass(frozen=True, slots=True)
class AllOf:
    """`all of (a, b, …)`: every part, in any order."""

    parts: tuple["Expression", ...]
    within: "Expression | None"
    unless: "Expression | None"
    span: Span


@dataclass(frozen=True, slots=True)
class Total:
    """`total(k from 0 to 9: …)`: the sum of `term` with `name` at each whole number of the range."""

    name: str
    name_span: Span
    low: "Expression"
    high: "Expression"
    term: "Expression"
    span: Span


@dataclass(frozen=True, slots=True)
class Column:
    """`column("ref")`: an extra column that came with the bars."""

    name: str
    span: Span


Expression = (
    Number | Truth | Clock | Text | Name | Field | Call | Negative | Arithmetic | Not | Logic | Comparison
    | Crossing | OnTimeframe | FromMarket | Sequence | AllOf | Total | Column | InRange | InSet | Is | Either
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Title:
    text: str
    span: Span


@dataclass(frozen=True, slots=True)
class Note:
    text: str
    span: Span


@dataclass(frozen=True, slots=True)
class Input:
    """An input; `default` is a number, bool, word, minute of the day, timeframe as written, or symbol."""

    name: str
    name_span: Span
    kind: Literal["number", "switch", "choice", "time", "timeframe", "market"]
    default: float | bool | str
    default_span: Span
    low: float | None
    high: float | None
    step: float | None
    options: tuple[str, ...]
    label: str
    span: Span


@dataclass(frozen=True, slots=True)
class Definition:
    name: str
    name_span: Span
    value: Expression
    span: Span


@dataclass(frozen=True, slots=True)
class Carry:
    """Running values that start together: inside `values`, each name is its own value one bar earlier."""

    names: tuple[str, ...]
    name_spans: tuple[Span, ...]
    values: tuple[Expression, ...]
    starts: tuple[Expression, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Local:
    """A local name of a function; with `start`, a running value."""

    name: str
    name_span: Span
    value: Expression
    start: Expression | None


@dataclass(frozen=True, slots=True)
class Define:
    """A function of the script's own; each call is replaced by its meaning before anything is checked."""

    name: str
    name_span: Span
    parameters: tuple[str, ...]
    value: Expression
    locals: tuple[Local, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Used:
    """One `fast = 12` after `with`: an input of the used script and what it is here."""

    name: str
    name_span: Span
    value: Expression


@dataclass(frozen=True, slots=True)
class Use:
    """Another saved script's names, as `name.up`."""

    title: str
    title_span: Span
    version: int | None
    inputs: tuple[Used, ...]
    name: str
    name_span: Span
    span: Span


@dataclass(frozen=True, slots=True)
class Color:
    """A colour word, or one of two by a condition."""

    word: str
    when: Expression | None
    otherwise: str | None


@dataclass(frozen=True, slots=True)
class Draw:
    values: tuple[Expression, ...]
    form: str
    panel: str | None
    color: Color | None
    named: str | None
    span: Span


@dataclass(frozen=True, slots=True)
class Level:
    values: tuple[Expression, ...]
    panel: str | None
    span: Span


@dataclass(frozen=True, slots=True)
class Shade:
    """The area between two values; `strength` in percent, None for the usual one."""

    a: Expression
    b: Expression
    color: str | None
    strength: float | None
    when: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Mark:
    when: Expression
    place: Literal["above", "below"]
    form: str
    color: str | None
    label: str | None
    span: Span


@dataclass(frozen=True, slots=True)
class Tint:
    """Bars coloured where a condition is yes."""

    when: Expression
    color: str | None
    span: Span


@dataclass(frozen=True, slots=True)
class Alert:
    """A message when a condition is yes; values stand in braces."""

    when: Expression
    text: str
    span: Span


@dataclass(frozen=True, slots=True)
class Size:
    """How much: `form` is units, cash, percent, risk_percent or risk_cash."""

    form: Literal["units", "cash", "percent", "risk_percent", "risk_cash"]
    amount: Expression
    most: Expression | None
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Order:
    """How a rule's order is given: at the next open, at this close, or resting at a price for so many bars."""

    form: Literal["market", "close", "limit", "stop"]
    price: Expression | None
    bars: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Enter:
    side: Side
    when: Expression
    order: Order
    size: Size | None
    named: str | None
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Exit:
    """`take` is the part to close in percent, `lots` the name of the entry whose lots it closes."""

    side: Side | None
    when: Expression
    order: Order
    take: Expression | None
    lots: str | None
    named: str | None
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class ExitAfter:
    side: Side | None
    count: Expression
    unit: Literal["bars", "days"]
    at_close: bool
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Distance:
    """A distance from the entry, or a price: `unit` is price, percent, pips, ticks, cash, R or at."""

    amount: Expression
    unit: Literal["price", "percent", "pips", "ticks", "cash", "R", "at"]
    span: Span


@dataclass(frozen=True, slots=True)
class Protect:
    """A `stop` or `target`; `part` is the percent of the original units that a target takes off."""

    kind: Literal["stop", "target"]
    side: Side | None
    distance: Distance
    part: Expression | None
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Trail:
    """A stop that follows the best price, from the start or `once` the profit has reached a distance."""

    side: Side | None
    distance: Distance
    once: Distance | None
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Breakeven:
    """The stop moved to the entry price, `plus` a distance, `once` the profit has reached a distance."""

    side: Side | None
    once: Distance
    plus: Distance | None
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Window:
    days: tuple[int, ...]
    times: tuple[tuple[Expression, Expression], ...]
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Months:
    months: tuple[int, ...]
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Dates:
    """Trading days on which entries are allowed, as days since 1970, both ends included."""

    first: int
    last: int
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Flat:
    """`at` holds the time for `flat at 16:45`; else `until` says session or week."""

    at: Expression | None
    until: Literal["time", "session", "week"]
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Limit:
    """`limit N entries per day`, `limit N open`, `limit N losses per day`, `limit loss X% per day`."""

    kind: Literal["entries", "open", "losses", "loss"]
    amount: Expression
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Pause:
    bars: Expression
    after: Literal["stop", "loss", "exit"]
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Opposite:
    mode: Literal["reverse", "exit", "ignore"]
    only_if: Expression | None
    span: Span


@dataclass(frozen=True, slots=True)
class Zone:
    """The zone of the script's times, such as Atlantic/Azores."""

    area: str
    span: Span


Rule = (
    Enter | Exit | ExitAfter | Protect | Trail | Breakeven | Window | Months | Dates | Flat | Limit | Pause | Opposite
    | Size
)  # fmt: skip
Show = Draw | Level | Shade | Mark | Tint | Alert
Statement = Title | Note | Input | Definition | Carry | Define | Use | Zone | Show | Rule


@dataclass(frozen=True, slots=True)
class Placed:
    """A statement, the text that its spans are places in, and where that begins in the script.

    What is not here stands in a used script or in a function: its text is that of its own place, and it begins where
    this script names that.
    """

    statement: Statement
    text: str
    start: int
    is_here: bool = True
