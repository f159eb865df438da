"""Going through trees: every part of one, and one made anew with parts replaced."""

from collections.abc import Callable, Iterator
from dataclasses import fields, is_dataclass, replace
from typing import Any, cast


def parts_within(node: object) -> Iterator[object]:
    """Every part of a tree that is a node, the tree itself included, in no particular order."""
    waiting = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, tuple):
            waiting.extend(part)
        elif is_dataclass(part):
            yield part
            waiting.extend(getattr(part, item.name) for item in fields(part))


def rebuilt(node: Any, change: Callable[[Any], Any]) -> Any:
    """The tree with every part for which `change` gives another; None leaves a part and goes on into it."""
    if isinstance(node, tuple):
        return tuple(rebuilt(part, change) for part in node)
    if not is_dataclass(node):
        return node
    fresh = change(node)
    if fresh is not None:
        return fresh
    changed = {}
    for item in fields(node):
        value = getattr(node, item.name)
        if is_dataclass(value) or isinstance(value, tuple):
            part = rebuilt(value, change)
            if part != value:
                changed[item.name] = part
    return replace(cast(Any, node), **changed) if changed else node
