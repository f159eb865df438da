"""Running commands that are declared as functions with typed options."""

import inspect
from collections.abc import Callable
from dataclasses import MISSING, fields, is_dataclass
from functools import wraps
from itertools import zip_longest
from typing import get_type_hints

import typer

Command = Callable[..., None]
_MAY_STAND_ALONE = ("--basket",)


def runner(app: typer.Typer) -> Callable[[str, list[str]], int | None]:
    """Runs one of an application's commands on arguments; returns its exit code, None for 0."""

    def run(name: str, arguments: list[str]) -> int | None:
        command = typer.main.get_group(app).commands[name]
        try:  # not by its `main`, which calls it a failure when whoever reads has read enough
            with command.make_context(f"skelb {name}", _with_empty_values(arguments)) as context:
                found: int | None = command.invoke(context)
        except typer.Exit as ended:
            return ended.exit_code
        return found

    return run


def _with_empty_values(arguments: list[str]) -> list[str]:
    """Arguments with an empty value for each option that may stand alone and does: the parser knows none such."""
    found = []
    for argument, following in zip_longest(arguments, arguments[1:], fillvalue="--"):
        found.append(argument)
        if argument in _MAY_STAND_ALONE and (following.startswith("-") or following.endswith(".skelb")):
            found.append("")
    return found


def spelled_out(command: Command) -> Command:
    """A command whose first parameter is a dataclass of options, declared with an option for each of its fields."""
    own = list(inspect.signature(command).parameters.values())
    hints = get_type_hints(command, include_extras=True)
    asked = hints[own[0].name]
    assert is_dataclass(asked) and isinstance(asked, type)
    options = get_type_hints(asked, include_extras=True)
    shared = [
        inspect.Parameter(
            field.name,
            inspect.Parameter.KEYWORD_ONLY,
            default=inspect.Parameter.empty if field.default is MISSING else field.default,
            annotation=options[field.name],
        )
        for field in fields(asked)
    ]
    rest = [item.replace(kind=inspect.Parameter.KEYWORD_ONLY, annotation=hints[item.name]) for item in own[1:]]

    @wraps(command)
    def declared(**given: object) -> None:
        command(asked(**{name: given.pop(name) for name in options}), **given)

    declared.__signature__ = inspect.Signature([*shared, *rest])  # type: ignore[attr-defined]
    declared.__annotations__ = {item.name: item.annotation for item in (*shared, *rest)}
    del declared.__wrapped__  # or the command's own parameters would be looked at
    return declared
