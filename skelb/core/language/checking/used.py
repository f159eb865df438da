"""Names of other saved scripts: `use "Harbour swell" as swell`, then `swell.up`."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from typing import Any, cast

from skelb.core.language.diagnostics import Mistake
from skelb.core.language.tree import (
    Carry,
    Clock,
    Definition,
    Expression,
    Field,
    Input,
    Name,
    Negative,
    Number,
    Placed,
    Statement,
    Text,
    Truth,
    Use,
    Used,
)
from skelb.core.language.walk import rebuilt


@dataclass(frozen=True)
class SavedScript:
    """Another script as it was found: its text and version."""

    title: str
    version: int
    text: str


Scripts = Callable[[str, int | None], SavedScript | None]
"""The saved script of a title (any version when None); None when there is none."""


def joined(node: Any, aliases: Collection[str]) -> Any:
    """The tree with fields of used scripts (`swell.up`) as names of their own."""

    def change(part: object) -> Name | None:
        if isinstance(part, Field) and isinstance(part.record, Name) and part.record.name in aliases:
            return Name(f"{part.record.name}.{part.name}", part.span)
        return None

    return rebuilt(node, change)


def replaced_names(node: Any, meant: Mapping[str, Expression]) -> Any:
    """The tree with names replaced by what they mean."""
    return rebuilt(node, lambda part: meant.get(part.name) if isinstance(part, Name) else None)


def prefixed(statement: Statement, names: Mapping[str, str]) -> Statement:
    """The statement with names replaced by others, in what it defines too."""
    renamed = {name: Name(other, (0, 0)) for name, other in names.items()}
    found = rebuilt(
        statement,
        lambda part: (
            replace(renamed[part.name], span=part.span) if isinstance(part, Name) and part.name in names else None
        ),
    )
    match found:
        case Definition():
            return replace(found, name=names.get(found.name, found.name))
        case Input():
            default = names.get(found.default, found.default) if isinstance(found.default, str) else found.default
            options = tuple(names.get(word, word) for word in found.options)
            return replace(found, name=names.get(found.name, found.name), options=options, default=default)
        case Carry():
            return replace(found, names=tuple(names.get(name, name) for name in found.names))
        case _:
            return cast(Statement, found)


def used_statements(
    use: Use, text: str, placed: Collection[Placed], inputs: Mapping[str, Input], own_inputs: Mapping[str, Input]
) -> list[tuple[Statement, str]]:
    """What a used script defines, its names prefixed and its inputs as `with` sets them, and the text that each one's
    spans are places in: its own, or that of the `use` statement.

    An input set to a value stays an input with that default; one set to an expression becomes a definition.
    Raises Mistake on an input it does not have or a value that the input cannot hold.
    """
    given: dict[str, Used] = {}
    for item in use.inputs:
        if item.name not in inputs:
            listed = ", ".join(f"`{name}`" for name in inputs) or "none"
            raise Mistake(
                "S0209", item.name_span, f"`{use.title}` has no input `{item.name}`", None, f"Its inputs: {listed}."
            )
        given[item.name] = item
    kinds = (Input, Definition, Carry)
    defining = [(item.statement, item.text) for item in placed if isinstance(item.statement, kinds)]
    defined = [name for item, _ in defining for name in (item.names if isinstance(item, Carry) else (item.name,))]
    names = {name: f"{use.name}.{name}" for name in defined}
    for name, item in given.items():  # an input that holds one of this script's own inputs is that input
        if isinstance(item.value, Name) and item.value.name in own_inputs and inputs[name].kind in _WORDS:
            names[name] = item.value.name
    found: list[tuple[Statement, str]] = []
    for statement, own_text in defining:
        if isinstance(statement, Input) and statement.name in given:
            fresh = _set_input(statement, given[statement.name], names, own_inputs)
            if fresh is not None:
                found.append((fresh, own_text if isinstance(fresh, Input) else text))
        else:
            found.append((prefixed(statement, names), own_text))
    return found


_WORDS = ("choice", "timeframe", "market")


def _set_input(
    found: Input, item: Used, names: Mapping[str, str], own_inputs: Mapping[str, Input]
) -> Input | Definition | None:
    value = item.value
    wrong = Mistake("S0209", value.span, f"the input `{found.name}` cannot hold this", None, _wanted(found))
    if found.kind in _WORDS and isinstance(value, Name) and value.name in own_inputs:
        own = own_inputs[value.name]
        if own.kind != found.kind or (found.kind == "choice" and not set(own.options) <= set(found.options)):
            raise wrong
        return None
    default = _literal(found, value)
    name = names[found.name]
    low, high = found.low, found.high
    if low is not None and high is not None and isinstance(default, float) and not low <= default <= high:
        raise Mistake("S0209", value.span, f"{default:g} lies outside the range of `{found.name}`, {low:g} to {high:g}")
    if default is not None:
        return cast(Input, prefixed(replace(found, default=default), names))
    if found.kind in _WORDS or isinstance(value, (Truth, Text, Clock)):
        raise wrong
    return Definition(name, item.name_span, value, item.name_span)


def _literal(found: Input, value: Expression) -> float | bool | str | None:
    """The value when it is written out and of the input's kind."""
    match value:
        case Number() if found.kind == "number":
            return value.value
        case Negative(Number() as inner) if found.kind == "number":
            return -inner.value
        case Truth() if found.kind == "switch":
            return value.value == "yes"
        case Clock() if found.kind == "time":
            return float(value.minute)
        case Name() if found.kind == "choice" and value.name in found.options:
            return value.name
        case Text() if found.kind in ("timeframe", "market"):
            return value.value
        case _:
            return None


def _wanted(found: Input) -> str:
    return {
        "number": "It takes a number.", "switch": "It takes on or off.", "time": "It takes a time such as 09:30.",
        "choice": f"It takes one of {', '.join(found.options)}.", "timeframe": "It takes a timeframe such as 4h.",
        "market": 'It takes a market such as "KELP".',
    }[found.kind]  # fmt: skip
