"""Whether two trees mean the same, wherever they stand in their texts."""

from dataclasses import fields, is_dataclass


def without_places(node: object) -> object:
    """A value that is equal for equal trees, whatever their spans."""
    if isinstance(node, tuple):
        return tuple(without_places(part) for part in node)
    if not is_dataclass(node):
        return node
    names = (item.name for item in fields(node) if not item.name.endswith(("span", "spans")))
    return (type(node).__name__, *(without_places(getattr(node, name)) for name in names))
