"""Which definitions an expression stands on."""

from collections.abc import Mapping
from dataclasses import fields, is_dataclass

from skelb.core.language.tree import Definition, Expression, Input, Name


def names_within(node: Expression, definitions: Mapping[str, Definition], inputs: Mapping[str, Input]) -> set[str]:
    """The definitions that `node` uses, directly, through other names, or through an input that chooses among them."""
    found: set[str] = set()
    waiting: list[object] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, tuple):
            waiting.extend(part)
        elif is_dataclass(part):
            if isinstance(part, Name) and part.name in definitions and part.name not in found:
                found.add(part.name)
                waiting.append(definitions[part.name].value)
            if isinstance(part, Name) and part.name in inputs:
                waiting.extend(Name(word, part.span) for word in inputs[part.name].options)
            waiting.extend(getattr(part, item.name) for item in fields(part))
    return found
