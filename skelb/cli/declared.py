"""Running commands that are declared as functions with typed options."""

from collections.abc import Callable

import typer


def runner(app: typer.Typer) -> Callable[[str, list[str]], int | None]:
    """Runs one of an application's commands on arguments; returns its exit code, None for 0."""

    def run(name: str, arguments: list[str]) -> int | None:
        group = typer.main.get_group(app)
        found: int | None = group.commands[name].main(arguments, prog_name=f"skelb {name}", standalone_mode=False)
        return found

    return run
