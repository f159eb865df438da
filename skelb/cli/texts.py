"""Commands on scripts alone: checking them, reading them back, laying them out, changing them.

They are read by the standard library's parser: loading the one that the other commands are declared with takes longer
than the answer.
"""

import argparse
import sys
from dataclasses import asdict
from pathlib import Path
from typing import NoReturn

from skelb.cli.files import UsageError, read_script, scripts_beside, titles_beside
from skelb.core.language import Checked, LineMap, Setting, check
from skelb.core.language.documented import diagnostics_document
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
from skelb.service.checking import checked_or_error


class _Parser(argparse.ArgumentParser):
    """Wrong usage is one sentence, as of every command."""

    def error(self, message: str) -> NoReturn:
        raise UsageError(f"{message} (see {self.prog} --help)")


def run(name: str, arguments: list[str]) -> int | None:
    """Run one of these commands; its exit code, None for 0."""
    return _COMMANDS[name][0](parser_of(name).parse_args(arguments))


def parser_of(name: str) -> argparse.ArgumentParser:
    """A command's parser: its file, and of the further parts those that it takes."""
    parts = _COMMANDS[name][1]
    parser = _Parser(prog=f"skelb {name}", add_help=False)
    kind = "A script in another notation." if name == "bring" else "A .skelb script."
    parser.add_argument("file", metavar="FILE", type=Path, help=kind)
    if "place" in parts:
        parser.add_argument("place", metavar="LINE:COLUMN", help="A place in the file, counted from 1.")
    if "name" in parts:
        parser.add_argument("name", metavar="NAME", help="The new name.")
    if "--name" in parts:
        parser.add_argument("--name", default="", help="The input's name.")
    if "--side" in parts:
        parser.add_argument(
            "--side", choices=("long", "short"), default="long", help="The side whose rules are mirrored."
        )
    if "--wish" in parts:
        parser.add_argument("--wish", default="", help="What the script should become.")
    if "--answer" in parts:
        parser.add_argument(
            "--answer", metavar="WHAT=N", action="append", default=[], help="The N-th choice of a question."
        )
    if "--write" in parts:
        parser.add_argument("--write", action="store_true", help="Write the file instead of printing.")
    if "--json" in parts:
        parser.add_argument("--json", action="store_true", help="Print one JSON document.")
    return parser


def _print_json(document: object) -> None:
    # Loaded here because most calls print text.
    from skelb.cli.options import print_json

    print_json(document)


def _check(asked: argparse.Namespace) -> int | None:
    text = read_script(asked.file)
    checked = check(text, Setting(scripts=scripts_beside(asked.file), titles=lambda: titles_beside(asked.file)))
    if asked.json:
        _print_json(diagnostics_document(checked))
        return None if checked.is_sound else 1
    places, lines = LineMap(text), text.split("\n")
    for item in checked.diagnostics:
        place = places.place(item.span[0])
        line = lines[place.line - 1]
        width = max(1, min(item.span[1] - item.span[0], len(line) - place.column + 1))
        print(f"{item.severity}[{item.code}]: {item.message}")
        print(f"  --> {asked.file.name}:{place.line}:{place.column}")
        print(f"{place.line:4} | {line}\n     | {' ' * (place.column - 1)}{'^' * width}")
        print(f"why: {item.why}")
        if item.mend:
            print(f"mend: write `{item.mend.text}`" if item.mend.text else "mend: leave this out")
    print("checks clean" if not checked.diagnostics else f"{len(checked.diagnostics)} found")
    return None if checked.is_sound else 1


def _read_back(asked: argparse.Namespace) -> None:
    sentences = read_back(_sound(asked.file))
    if asked.json:
        return _print_json({"sentences": sentences})
    print("\n".join(sentences))
    return None


def _format(asked: argparse.Namespace) -> None:
    _give(asked, format_source(read_script(asked.file)))


def _mirror(asked: argparse.Namespace) -> None:
    found = mirrored_rules(_sound(asked.file), asked.side)
    if asked.json:
        return _print_json({"lines": found.lines, "missing": found.missing})
    print("\n".join([*found.lines, *(f"# not mirrored: {item}" for item in found.missing)]))
    return None


def _inline(asked: argparse.Namespace) -> None:
    _give(asked, inline_used(read_script(asked.file), scripts_beside(asked.file)))


def _rename(asked: argparse.Namespace) -> None:
    source = read_script(asked.file)
    _give(asked, applied(source, rename(source, _offset(source, asked.place), asked.name)))


def _extract(asked: argparse.Namespace) -> None:
    source = read_script(asked.file)
    _give(asked, applied(source, extract_input(source, _offset(source, asked.place), asked.name)))


def _bring(asked: argparse.Namespace) -> None:
    # Loaded here because no other of these commands reads what is not Skelb.
    from skelb.core.language.bringing import bring

    answers = {}
    for given in asked.answer:
        what, _, number = given.rpartition("=")
        if not what or not number.isdigit() or number == "0":
            raise UsageError(f"--answer takes WHAT=NUMBER with a choice counted from 1, not `{given}`")
        answers[what] = int(number) - 1
    brought = bring(read_script(asked.file), answers)
    choices = {question.id: len(question.choices) for question in brought.questions}
    for what, chosen in answers.items():
        if what not in choices:
            raise UsageError(f"nothing is asked about `{what}`")
        if chosen >= choices[what]:
            raise UsageError(f"`{what}` has {choices[what]} choices, not {chosen + 1}")
    if asked.json:
        _print_json(asdict(brought) | {"text": brought.text})
        return
    print(brought.text, end="")
    counts = (f"{brought.count(state)} {state}" for state in ("sure", "asked", "left"))
    print(f"{', '.join(counts)}", file=sys.stderr)
    for question in brought.questions:
        offered = "; ".join(
            f"{'*' * (n == question.chosen)}{n + 1} {words}" for n, words in enumerate(question.choices)
        )
        print(f"line {question.line}: {question.sentence} --answer '{question.id}=…': {offered}", file=sys.stderr)


def _brief(asked: argparse.Namespace) -> None:
    print(brief(check(read_script(asked.file), Setting(scripts=scripts_beside(asked.file))), asked.wish), end="")


def _sound(file: Path) -> Checked:
    return checked_or_error(read_script(file), Setting(scripts=scripts_beside(file)))


def _give(asked: argparse.Namespace, text: str) -> None:
    """Print a changed script, or write it where it came from."""
    if not asked.write:
        print(text, end="" if text.endswith("\n") else "\n")
        return
    try:
        asked.file.write_text(text, "utf-8")
    except OSError as exc:
        raise UsageError(f"{asked.file} cannot be written: {exc.strerror}") from exc


def _offset(source: str, place: str) -> int:
    """The offset of a place such as 3:14."""
    line, sign, column = place.partition(":")
    lines = source.split("\n")
    if not sign or not line.isdigit() or not column.isdigit() or not 1 <= int(line) <= len(lines):
        raise UsageError(f"a place is LINE:COLUMN inside the file, such as 3:14, not `{place}`")
    before = sum(len(item) + 1 for item in lines[: int(line) - 1])
    return before + min(max(int(column) - 1, 0), len(lines[int(line) - 1]))


_COMMANDS = {
    "check": (_check, ("--json",)),
    "readback": (_read_back, ("--json",)),
    "format": (_format, ("--write",)),
    "mirror": (_mirror, ("--side", "--json")),
    "inline": (_inline, ("--write",)),
    "rename": (_rename, ("place", "name", "--write")),
    "extract": (_extract, ("place", "--name", "--write")),
    "brief": (_brief, ("--wish",)),
    "bring": (_bring, ("--answer", "--json")),
}
