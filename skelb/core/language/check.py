"""Checking a whole script: names, kinds, rules, and what is allowed but surely not meant."""

from dataclasses import dataclass

from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.kinds import (
    Meaning,
    Scope,
)
from skelb.core.language.parser import parse
from skelb.core.language.pass_loose_ends import check_never, check_unused
from skelb.core.language.pass_meanings import check_meanings
from skelb.core.language.pass_rules import check_rules
from skelb.core.language.tree import (
    Carry,
    Definition,
    Enter,
    Input,
    Placed,
    Title,
)
from skelb.core.language.work import Setting, Work


@dataclass(frozen=True)
class Checked:
    """A checked script: its sound statements in order, what its names mean, and what was found.

    `diagnostics` are in text order. Only a script without errors (`is_sound`) can be run.
    """

    source: str
    statements: tuple[Placed, ...]
    inputs: dict[str, Input]
    definitions: dict[str, Definition]
    carries: dict[str, Carry]
    meanings: dict[str, Meaning]
    diagnostics: tuple[Diagnostic, ...]

    @property
    def is_sound(self) -> bool:
        """Whether there is no error."""
        return all(item.severity != "error" for item in self.diagnostics)

    @property
    def title(self) -> str:
        """The script's title, or an empty text."""
        return next((item.statement.text for item in self.statements if isinstance(item.statement, Title)), "")

    @property
    def shown_names(self) -> tuple[str, ...]:
        """The names that stand for values on every bar, in text order; running locals of functions are not shown."""
        values = (name for name in self.meanings if name in self.definitions or name in self.carries)
        return tuple(name for name in values if name.isidentifier())

    @property
    def has_entries(self) -> bool:
        """Whether this is a strategy script."""
        return any(isinstance(item.statement, Enter) for item in self.statements)


def check(source: str, setting: Setting | None = None) -> Checked:
    """The checked script; any text gives an answer, none raises."""
    parsed = parse(source)
    work = Work(parsed, setting or Setting(), Scope(broken=set(parsed.broken_names)))
    work.found.extend(parsed.diagnostics)
    for run_pass in PASSES:
        run_pass(work)
    ordered = tuple(sorted(work.found, key=lambda item: (item.span, item.code)))
    return Checked(
        source, tuple(work.sound), work.inputs, work.definitions, work.carries, dict(work.scope.names), ordered
    )


PASSES = (check_meanings, check_rules, check_never, check_unused)
