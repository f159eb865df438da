"""Checking a whole script: names, kinds, rules, and what is allowed but surely not meant."""

from bisect import bisect
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields, is_dataclass, replace
from functools import cached_property

from skelb.core.catalogue import POSITION_NAMES
from skelb.core.language.checking.kinds import Meaning, Scope
from skelb.core.language.checking.pass_loose_ends import check_drawn, check_never, check_unused
from skelb.core.language.checking.pass_meanings import check_meanings
from skelb.core.language.checking.pass_rules import check_rules
from skelb.core.language.checking.stepwise import names_in
from skelb.core.language.checking.used import SavedScript, joined
from skelb.core.language.checking.work import Setting, Work
from skelb.core.language.choosing import Choosing, alternatives, choosing_of
from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.reading.expressions import read_expression
from skelb.core.language.reading.parser import parse
from skelb.core.language.reading.reader import Reader
from skelb.core.language.sure import only_sure
from skelb.core.language.tree import (
    Carry,
    Definition,
    Distance,
    Enter,
    Exit,
    Expression,
    Input,
    Name,
    Order,
    Placed,
    Rule,
    Size,
    Title,
    Zone,
)
from skelb.core.language.walk import parts_within

_WAITED_FOR = {Enter: ("when",), Exit: ("when",), Distance: ("amount",), Size: ("amount", "most"), Order: ("price",)}
"""Conditions and amounts: what of a rule is valued on every bar."""


@dataclass(frozen=True)
class Checked:
    """A checked script: its sound statements in order, what its names mean, and what was found.

    Names of used scripts stand in it as `swell.up`; `used` says which texts those were, by their names here.

    `diagnostics` are in text order. Only a script without errors (`is_sound`) can be run.
    """

    source: str
    statements: tuple[Placed, ...]
    inputs: dict[str, Input]
    definitions: dict[str, Definition]
    carries: dict[str, Carry]
    meanings: dict[str, Meaning]
    used: dict[str, SavedScript]
    diagnostics: tuple[Diagnostic, ...]

    @cached_property
    def text_of(self) -> dict[str, str]:
        """The text of the statement that defines each name; spans of a definition are places in it."""
        return {
            placed.statement.name: placed.text for placed in self.statements if isinstance(placed.statement, Definition)
        }

    @cached_property
    def taken_from(self) -> dict[str, tuple[str, ...]]:
        """The values that the script itself takes of each used script, in the order in which it first does."""
        taken: dict[str, dict[str, None]] = {alias: {} for alias in self.used}
        for placed in self.statements:
            for name in names_in(placed.statement) if placed.is_here else ():
                alias, dot, _ = name.name.partition(".")
                if dot and alias in taken and name.name not in self.inputs:
                    taken[alias][name.name] = None
        return {alias: tuple(names) for alias, names in taken.items()}

    @property
    def is_sound(self) -> bool:
        """Whether there is no error."""
        return all(item.severity != "error" for item in self.diagnostics)

    @cached_property
    def asks_position(self) -> bool:
        """Whether any of it depends on the position."""
        return any(name.name in POSITION_NAMES for placed in self.statements for name in names_in(placed.statement))

    @cached_property
    def stands_on(self) -> dict[str, tuple[str, ...]]:
        """The inputs that each definition and running value stands on, by itself or through other names."""
        found: dict[str, frozenset[str]] = {}
        for placed in self.statements:
            statement = placed.statement
            if isinstance(statement, (Definition, Carry)):
                own = statement.names if isinstance(statement, Carry) else (statement.name,)
                found |= dict.fromkeys(own, self._inputs_of(statement, found))
        return {name: tuple(sorted(inputs)) for name, inputs in found.items()}

    @cached_property
    def rules_stand_on(self) -> tuple[str, ...]:
        """The inputs that rules stand on but for conditions and amounts: in `only if`, windows, counts and so on."""
        rules = tuple(placed.statement for placed in self.statements if isinstance(placed.statement, Rule))
        return tuple(sorted(self.inputs_within(tuple(_laid_out_parts(rules)))))

    def inputs_within(self, node: object) -> frozenset[str]:
        """The inputs that a part of the script stands on, by itself or through names."""
        return self._inputs_of(node, self._reached)

    @cached_property
    def _reached(self) -> dict[str, frozenset[str]]:
        return {name: frozenset(inputs) for name, inputs in self.stands_on.items()}

    def rules_with(self, inputs: Mapping[str, object]) -> list[Placed]:
        """The rules that can exist with these inputs, in text order; others are for another word of a choice."""
        return [self.statements[place] for place in self._choosing.places(inputs)]

    @cached_property
    def _choosing(self) -> Choosing:
        return choosing_of(self.statements, self.inputs)

    @cached_property
    def alternating(self) -> dict[str, tuple[dict[str, Expression], ...]]:
        """The choice that chooses among conditions of rules and changes nothing else of them, as that of a search does:
        of each rule the condition by word. Empty without one."""
        for name, by_word in self._choosing.by_word.items():
            rules = {word: [self._rule(place) for place in places] for word, places in by_word.items()}
            tables = alternatives(rules, self.inputs[name].options)
            always = self._choosing.always
            ranks = {tuple(bisect(always, place) for place in places) for places in by_word.values()}
            rest = tuple(_laid_out_parts(tuple(self._rule(place) for place in always)))
            if (
                tables is not None
                and len(ranks) == len(self._choosing.by_word) == 1
                and name not in self.inputs_within(rest)
                and not any(self.is_of_position(node) for table in tables for node in table.values())
            ):
                return {name: tables}
        return {}

    def is_of_position(self, node: object) -> bool:
        """Whether a part of the script depends on the position, by itself or through names."""
        for name in names_in(node) if self.asks_position else ():
            meaning = self.meanings.get(name.name)
            if meaning.position if meaning else name.name in POSITION_NAMES:
                return True
        return False

    def _rule(self, place: int) -> Rule:
        rule = self.statements[place].statement
        assert isinstance(rule, Rule)
        return rule

    @cached_property
    def layouts_stand_on(self) -> tuple[str, ...]:
        """The inputs that rules stand on but for conditions and amounts, also as a choice chooses among conditions."""
        return tuple(name for name in self.rules_stand_on if name not in self.alternating)

    def _inputs_of(self, node: object, reached: Mapping[str, frozenset[str]]) -> frozenset[str]:
        """The inputs within a tree, by itself or through the names in `reached`."""
        names = {part.name for part in parts_within(node) if isinstance(part, Name)}
        names |= {word for name in names & self.inputs.keys() for word in self.inputs[name].options}
        return frozenset(names & self.inputs.keys()).union(*(reached[name] for name in names & reached.keys()))

    @property
    def title(self) -> str:
        """The script's title, or an empty text."""
        return next((item.statement.text for item in self.statements if isinstance(item.statement, Title)), "")

    @property
    def shown_names(self) -> tuple[str, ...]:
        """The names that stand for values on every bar, in text order; without running locals of functions.

        Names that depend on the position have no value by themselves.
        """
        values = (
            name
            for name, meaning in self.meanings.items()
            if (name in self.definitions or name in self.carries) and not meaning.position
        )
        return tuple(name for name in values if name.isidentifier())

    def label_value(self, text: str) -> Expression:
        """The expression that stands in braces in a label of this script."""
        return joined(read_expression(Reader(text)), self.used)

    @property
    def zone(self) -> str | None:
        """The zone of the script's times; None for the market's."""
        return next((item.statement.area for item in self.statements if isinstance(item.statement, Zone)), None)

    @property
    def has_entries(self) -> bool:
        """Whether this is a strategy script."""
        return any(isinstance(item.statement, Enter) for item in self.statements)


def _laid_out_parts(node: object) -> Iterator[object]:
    """The parts of rules but for what is valued on every bar."""
    if isinstance(node, tuple):
        for part in node:
            yield from _laid_out_parts(part)
    elif isinstance(node, (Name, Input)) or not is_dataclass(node):
        yield node
    else:
        skipped = _WAITED_FOR.get(type(node), ())
        for item in fields(node):
            if item.name not in skipped:
                yield from _laid_out_parts(getattr(node, item.name))


def check(source: str, setting: Setting | None = None) -> Checked:
    """The checked script; any text gives an answer, none raises."""
    at = setting or Setting()
    found = _checked(source, at)
    return replace(found, diagnostics=only_sure(source, found.diagnostics, lambda text: _checked(text, at).diagnostics))


def _checked(source: str, setting: Setting) -> Checked:
    parsed = parse(source)
    work = Work(parsed, setting, Scope(broken=set(parsed.broken_names)))
    work.found.extend(parsed.diagnostics)
    for run_pass in PASSES:
        run_pass(work)
    ordered = tuple(sorted(work.found, key=lambda item: (item.span, item.code)))
    return Checked(
        source,
        tuple(work.sound),
        work.inputs,
        work.definitions,
        work.carries,
        dict(work.scope.names),
        work.used,
        ordered,
    )


PASSES = (check_meanings, check_rules, check_never, check_drawn, check_unused)
