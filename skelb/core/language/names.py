"""Which definitions an expression stands on."""

from dataclasses import fields, is_dataclass

from skelb.core.language.check import Checked
from skelb.core.language.tree import Expression, Name


def names_within(node: Expression, checked: Checked) -> set[str]:
    """The definitions and running values that `node` uses, directly or through names, inputs and groups."""
    found: set[str] = set()
    waiting: list[object] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, tuple):
            waiting.extend(part)
        elif is_dataclass(part):
            if isinstance(part, Name) and part.name not in found:
                waiting.extend(_meant_by(part, checked, found))
            waiting.extend(getattr(part, item.name) for item in fields(part))
    return found


def _meant_by(name: Name, checked: Checked, found: set[str]) -> list[object]:
    """What a name stands for; definitions are added to `found`."""
    if name.name in checked.definitions:
        found.add(name.name)
        return [checked.definitions[name.name].value]
    if name.name in checked.carries:
        group = checked.carries[name.name]
        found.update(group.names)
        return [group.values, group.starts]
    if name.name in checked.inputs:
        return [Name(word, name.span) for word in checked.inputs[name.name].options]
    return []
