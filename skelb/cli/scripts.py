"""Commands on scripts alone: reading them back, laying them out, changing them, and the language server."""

from pathlib import Path
from typing import Annotated
from urllib.parse import unquote, urlsplit

import typer

from skelb.cli.inputs import UsageError, read_script, scripts_beside
from skelb.cli.main import app
from skelb.cli.options import FileArgument, JsonOption, print_json
from skelb.core.language import Checked, Setting, check
from skelb.core.language.assist import Surroundings
from skelb.core.language.tools import (
    applied,
    brief,
    extract_input,
    format_source,
    inline_used,
    mirrored_rules,
    read_back,
    rename,
)
from skelb.service.backtest import checked_or_error

WriteOption = Annotated[bool, typer.Option("--write", help="Write the file instead of printing.")]
PlaceArgument = Annotated[str, typer.Argument(metavar="LINE:COLUMN", help="A place in the file, counted from 1.")]


def _sound(file: Path) -> Checked:
    return checked_or_error(read_script(file), Setting(scripts=scripts_beside(file)))


def _give(file: Path, text: str, write: bool) -> None:
    """Print a changed script, or write it where it came from."""
    if not write:
        print(text, end="" if text.endswith("\n") else "\n")
        return
    try:
        file.write_text(text, "utf-8")
    except OSError as exc:
        raise UsageError(f"{file} cannot be written: {exc.strerror}") from exc


def _offset(source: str, place: str) -> int:
    """The offset of a place such as 3:14."""
    line, sign, column = place.partition(":")
    lines = source.split("\n")
    if not sign or not line.isdigit() or not column.isdigit() or not 1 <= int(line) <= len(lines):
        raise UsageError(f"a place is LINE:COLUMN inside the file, such as 3:14, not `{place}`")
    return sum(len(item) + 1 for item in lines[: int(line) - 1]) + min(
        max(int(column) - 1, 0), len(lines[int(line) - 1])
    )


@app.command()
def readback(file: FileArgument, json: JsonOption = False) -> None:
    """Say a strategy in plain sentences, every default included."""
    sentences = read_back(_sound(file))
    if json:
        print_json({"sentences": sentences})
        return
    print("\n".join(sentences))


@app.command("format")
def format_command(file: FileArgument, write: WriteOption = False) -> None:
    """Bring a script into the usual layout; only white space changes."""
    _give(file, format_source(read_script(file)), write)


@app.command()
def mirror(
    file: FileArgument,
    side: Annotated[str, typer.Option("--side", help="The side whose rules are mirrored: long or short.")] = "long",
    json: JsonOption = False,
) -> None:
    """Write the other side's rules that mirror a side's, and say what could not be mirrored."""
    if side not in ("long", "short"):
        raise UsageError(f"--side is long or short, not `{side}`")
    found = mirrored_rules(_sound(file), "long" if side == "long" else "short")
    if json:
        print_json({"lines": found.lines, "missing": found.missing})
        return
    print("\n".join([*found.lines, *(f"# not mirrored: {item}" for item in found.missing)]))


@app.command()
def inline(file: FileArgument, write: WriteOption = False) -> None:
    """Write out the scripts that a script uses, so that it stands alone."""
    _give(file, inline_used(read_script(file), scripts_beside(file)), write)


@app.command("rename")
def rename_command(
    file: FileArgument,
    place: PlaceArgument,
    name: Annotated[str, typer.Argument(metavar="NAME", help="The new name.")],
    write: WriteOption = False,
) -> None:
    """Give a name of the script another name, everywhere."""
    source = read_script(file)
    _give(file, applied(source, rename(source, _offset(source, place), name)), write)


@app.command()
def extract(
    file: FileArgument,
    place: PlaceArgument,
    name: Annotated[str, typer.Option("--name", help="The input's name.")] = "",
    write: WriteOption = False,
) -> None:
    """Make the number at a place an input with a range."""
    source = read_script(file)
    _give(file, applied(source, extract_input(source, _offset(source, place), name)), write)


@app.command("brief")
def brief_command(
    file: FileArgument, wish: Annotated[str, typer.Option("--wish", help="What the script should become.")] = ""
) -> None:
    """Print one text to paste to any assistant, so that the script it writes compiles."""
    print(brief(check(read_script(file), Setting(scripts=scripts_beside(file))), wish), end="")


@app.command()
def lsp() -> None:
    """Serve the Language Server Protocol on standard input and output, for any editor."""
    # Loaded here because the protocol's types take half a second, and no other command needs them.
    from skelb.service.language_server import Reach, make_server

    def setting(uri: str) -> Setting:
        path = Path(unquote(urlsplit(uri).path))
        return Setting(scripts=scripts_beside(path) if uri.startswith("file:") else None)

    make_server(Reach(setting, Surroundings)).start_io()
