"""Whether two trees mean the same, wherever they stand in their texts."""

from collections.abc import Mapping
from dataclasses import fields, is_dataclass

from skelb.core.language.tree import Definition, Name


def without_places(node: object) -> object:
    """A value that is equal for equal trees, whatever their spans."""
    if isinstance(node, tuple):
        return tuple(without_places(part) for part in node)
    if not is_dataclass(node):
        return node
    names = (item.name for item in fields(node) if not item.name.endswith(("span", "spans")))
    return (type(node).__name__, *(without_places(getattr(node, name)) for name in names))


class Meanings:
    """Numbers that are equal for trees that mean the same: places left out, names of definitions written out.

    A tree is as long to number as it is written, however often its names use one another.
    """

    def __init__(self, definitions: Mapping[str, Definition]) -> None:
        self._numbers: dict[object, int] = {}
        self._named: dict[str, int] = {}
        for name, found in definitions.items():  # in the order of the text: each stands on those before it
            self._named[name] = self.of(found.value)

    def of(self, node: object) -> int:
        """The number of what a tree means."""
        if isinstance(node, Name) and node.name in self._named:
            return self._named[node.name]
        key: object = (type(node).__name__, node)
        if isinstance(node, tuple):
            key = tuple(self.of(part) for part in node)
        elif is_dataclass(node):
            names = (item.name for item in fields(node) if not item.name.endswith(("span", "spans")))
            key = (type(node).__name__, *(self.of(getattr(node, name)) for name in names))
        return self._numbers.setdefault(key, len(self._numbers))
