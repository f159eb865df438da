"""Bringing in the names of used scripts."""

from dataclasses import replace
from typing import Protocol

from skelb.core.language.checking.kinds import Meaning, Scope, check_free_name, input_meaning, meaning_of
from skelb.core.language.checking.used import used_statements
from skelb.core.language.checking.work import Work
from skelb.core.language.diagnostics import LineMap, Mend, Mistake
from skelb.core.language.reading.near import nearest
from skelb.core.language.reading.parser import parse
from skelb.core.language.tree import Carry, Definition, Input, Placed, Statement, Use


class Pass(Protocol):
    """One pass over the work of a script."""

    def __call__(self, work: Work) -> None:
        """Run the pass."""


def add_used(work: Work, placed: Placed, use: Use, check_meanings: Pass) -> None:
    """Add what a `use` statement names, as `alias.name`. Raises Mistake when the script cannot be used."""
    check_free_name(use.name, use.name_span, work.scope)  # before its names come in under it
    title, setting = use.title, work.setting
    if title in setting.within:
        chain = " uses ".join(f"`{item}`" for item in (*setting.within[setting.within.index(title) :], title))
        raise Mistake("S0215", use.title_span, f"this goes round in a circle: {chain}")
    saved = setting.scripts(title, use.version) if setting.scripts else None
    if saved is None:
        wanted = f"version {use.version} of `{title}`" if use.version else f"a script `{title}`"
        near = nearest(title, setting.titles()) if setting.titles and not use.version else []
        mend = Mend(f'"{near[0]}"', use.title_span) if len(near) == 1 else None
        help_text = f"Did you mean {' or '.join(f'`{item}`' for item in near)}?" if near else ""
        raise Mistake("S0213", use.title_span, f"{wanted} is not among the saved scripts", mend, help_text)
    inner = Work(parse(saved.text), replace(setting, within=(*setting.within, title)), Scope())
    inner.found.extend(inner.parsed.diagnostics)
    check_meanings(inner)
    errors = sorted((item for item in inner.found if item.severity == "error"), key=lambda item: item.span)
    if errors:
        if errors[0].code == "S0215":
            raise Mistake("S0215", use.title_span, errors[0].message)
        line = LineMap(saved.text).place(errors[0].span[0]).line
        raise Mistake("S0214", use.title_span, f"`{title}` has a mistake in its line {line}: {errors[0].message}")
    statements = used_statements(use, placed.text, inner.sound, inner.inputs, work.inputs)
    work.used[use.name] = saved
    work.scope.aliases.add(use.name)
    for statement, text in statements:
        work.sound.append(Placed(statement, text, placed.start, is_here=False))
        _add(work, statement)


def _add(work: Work, statement: Statement) -> None:
    match statement:
        case Input():
            work.inputs[statement.name] = statement
            work.scope.names[statement.name] = input_meaning(statement, work.scope)
        case Definition():
            work.definitions[statement.name] = statement
            work.scope.names[statement.name] = meaning_of(statement.value, work.scope)
        case Carry():
            for name, start in zip(statement.names, statement.starts, strict=True):
                work.scope.names[name] = Meaning(meaning_of(start, work.scope).kind)
                work.carries[name] = statement
        case _:
            pass
