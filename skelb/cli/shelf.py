"""`skelb shelf`: the shelf as a folder that can be kept in version control, and read back."""

from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.options import JsonOption, print_json
from skelb.cli.stored import stored_here
from skelb.service.shelf_folder import ShelfFile, read_shelf, script_files, write_shelf

app = typer.Typer()

_SAID = {
    "new": "written",
    "same": "the same",
    "changed": "changed",
    "differs": "differs",
    "older": "is an earlier version",
}


def run(name: str, arguments: list[str]) -> int | None:
    """Run `skelb shelf` on arguments; its exit code, 1 where something differs that was not taken."""
    found: int | None = app(arguments, prog_name=f"skelb {name}", standalone_mode=False)
    return found


@app.command()
def write(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Where each script gets a file.")],
    title: Annotated[
        list[str] | None, typer.Option("--title", help="Only this one; several times for several.")
    ] = None,
    over: Annotated[
        bool, typer.Option("--over", help="Also over files with a text that the shelf does not have.")
    ] = False,
    as_json: JsonOption = False,
) -> int:
    """Write the newest text of every script on the shelf into a folder."""
    with stored_here() as here:
        return _told(write_shelf(here.library, folder, title or (), over), as_json)


@app.command()
def read(
    paths: Annotated[list[Path], typer.Argument(metavar="FILE|FOLDER...", help="Scripts, or folders of them.")],
    take: Annotated[bool, typer.Option("--take", help="Store what differs as new versions.")] = False,
    as_json: JsonOption = False,
) -> int:
    """Bring scripts back: new ones are stored, of others it is said what differs."""
    with stored_here() as here:
        return _told(read_shelf(here.library, script_files(paths), take), as_json)


def _told(found: list[ShelfFile], as_json: bool) -> int:
    if as_json:
        print_json(
            [{"title": item.title, "file": item.file, "how": item.how, "difference": item.difference} for item in found]
        )
    else:
        for item in found:
            if item.how != "same":
                print(f"{item.file}: {item.title} {_SAID[item.how]}")
            if item.difference:
                print(item.difference, end="")
        same = sum(item.how == "same" for item in found)
        print(f"{len(found)} scripts, {same} the same")
    return 1 if any(item.how in ("differs", "older") for item in found) else 0
