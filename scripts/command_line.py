"""The guide's page of the command line, made from what the commands declare."""

import argparse
from collections.abc import Iterator
from importlib import import_module
from itertools import chain
from typing import Any, get_args

import typer

from skelb.cli import COMMANDS

_HEAD = """# The command line

Made from the commands by `scripts/reference.py`; do not edit.

Every command prints for people, or with `--json` one JSON document and nothing else. `check` ends with 1 where a script has errors; whatever is called wrongly or cannot be read ends with 2 and one line that says why. Options may stand before or after what a command works on; one that is marked so may be given several times. Data is kept in the folder that `SKELB_HOME` names, or in the platform's own.
"""  # noqa: E501
_KINDS = {int: "N", float: "NUMBER", str: "TEXT"}


def commands_page() -> str:
    """Every command, what it does and what it takes."""
    return "\n".join([_HEAD, *chain.from_iterable(map(_sections, COMMANDS))])


def _sections(name: str) -> Iterator[str]:
    module = import_module(COMMANDS[name][0])
    if hasattr(module, "parser_of"):
        yield _section(name, COMMANDS[name][1], _read_by_hand(module.parser_of(name)))
    elif not hasattr(module, "app"):
        yield _section(name, COMMANDS[name][1], [])
    else:
        group: Any = typer.main.get_group(module.app)
        yield from _declared(name, group.commands.get(name, group))


def _declared(name: str, command: Any) -> Iterator[str]:
    inner = getattr(command, "commands", None)
    if inner is None:
        yield _section(name, _flowing(command.help), [_item(param) for param in command.params])
        return
    yield _section(name, COMMANDS[name][1], [(word, _flowing(item.help)) for word, item in inner.items()], "COMMAND …")
    for word, item in inner.items():
        yield from _declared(f"{name} {word}", item)


def _section(words: str, told: str, items: list[tuple[str, str]], taken: str | None = None) -> str:
    if taken is None:
        own = [term for term, _ in items if not term.startswith("-")]
        taken = " ".join([*own, "[OPTION …]"] if len(own) < len(items) else own)
    lines = [f"## skelb {words}", "", told, "", "```", f"skelb {words} {taken}".rstrip(), "```", ""]
    lines += [f"- `{term}`: {text}" for term, text in items]
    return "\n".join([*lines, ""] if items else lines)


def _item(param: Any) -> tuple[str, str]:
    """An option or an argument of a declared command: how it is written, and what it is."""
    is_option = param.opts[0].startswith("-")
    term = _term(param.opts[0] if is_option else None, None if getattr(param, "is_flag", False) else _metavar(param))
    told = param.help or ""
    if is_option and param.multiple:
        told += " May be given several times."
    if param.default:
        told += f" By default {param.default}."
    elif is_option and param.required:
        told += " Needed."
    return term, told.strip()


def _read_by_hand(parser: argparse.ArgumentParser) -> list[tuple[str, str]]:
    found = []
    for action in parser._actions:
        options = [word for word in action.option_strings if word.startswith("--")]
        kind = None if action.nargs == 0 else action.metavar or "|".join(action.choices or ["TEXT"])
        told = action.help or ""
        if isinstance(action, argparse._AppendAction):
            told += " May be given several times."
        elif action.default and options:
            told += f" By default {action.default}."
        found.append((_term(options[0] if options else None, str(kind) if kind else None), told))
    return found


def _term(option: str | None, value: str | None) -> str:
    return " ".join(filter(None, (option, value)))


def _metavar(param: Any) -> str:
    kind = param.type_descriptor.annotation
    return param.metavar or _KINDS[get_args(kind)[0] if param.multiple else kind]


def _flowing(told: str) -> str:
    return " ".join(told.split())
