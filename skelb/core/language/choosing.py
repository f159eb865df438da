"""Rules that exist for one word of a choice alone, as `only if kind is ema` says."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

from skelb.core.language.same import without_places
from skelb.core.language.tree import Enter, Exit, Expression, Input, Is, Name, Placed, Rule


@dataclass(frozen=True)
class Choosing:
    """Rules by their places among the statements, ascending.

    always : those that no word rules out; by_word : the others, by choice and word
    """

    always: tuple[int, ...]
    by_word: Mapping[str, Mapping[str, tuple[int, ...]]]

    def places(self, inputs: Mapping[str, object]) -> list[int]:
        """The places of the rules that can exist with these inputs."""
        found = list(self.always)
        for name, by_word in self.by_word.items():
            found += by_word.get(str(inputs[name]), ())
        return sorted(found)


def choosing_of(statements: Sequence[Placed], inputs: Mapping[str, Input]) -> Choosing:
    """The rules of a script; a search has thousands, of which two exist at once."""
    always: list[int] = []
    by_word: dict[str, dict[str, list[int]]] = {}
    for place, placed in enumerate(statements):
        if not isinstance(placed.statement, Rule):
            continue
        only = getattr(placed.statement, "only_if", None)
        if isinstance(only, Is) and isinstance(only.x, Name) and not only.negated:
            held = inputs.get(only.x.name)
            if held is not None and held.kind == "choice":
                by_word.setdefault(held.name, {}).setdefault(only.word, []).append(place)
                continue
        always.append(place)
    return Choosing(
        tuple(always),
        {name: {word: tuple(places) for word, places in words.items()} for name, words in by_word.items()},
    )


def alternatives(
    rules: Mapping[str, Sequence[Rule]], options: Sequence[str]
) -> tuple[dict[str, Expression], ...] | None:
    """Of the rules of each word of a choice, the conditions by word, one table a rule; None unless every word has the
    same rules but for their conditions."""
    if set(rules) != set(options):
        return None
    shapes = {tuple(_shape(rule) for rule in own) for own in rules.values()}
    if len(shapes) > 1 or not all(isinstance(rule, (Enter, Exit)) for own in rules.values() for rule in own):
        return None
    count = len(next(iter(rules.values())))
    return tuple({word: own[place].when for word, own in rules.items()} for place in range(count))  # type: ignore[union-attr]


def _shape(rule: Rule) -> object:
    kept = (item.name for item in fields(rule) if item.name not in ("when", "only_if", "span"))
    return type(rule).__name__, *(without_places(getattr(rule, name)) for name in kept)
