"""Writes the reference pages that come from the program itself; with --check, says whether they are stale."""

import ast
import json
import re
import sys
from collections.abc import Iterable
from functools import partial
from pathlib import Path

from scripts.command_line import commands_page
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.figures import FIGURES
from skelb.core.language import CODES
from skelb.core.language.assist import TAIL_WORDS
from skelb.core.language.reading.lines import STATEMENT_WORDS

DOCS = Path(__file__).parent.parent / "docs"
GOLDEN = Path(__file__).parent.parent / "tests" / "golden"


def functions_page() -> str:
    """Every function and built-in name."""
    lines = ["# Functions and names", "", "Made from the catalogue by `scripts/reference.py`; do not edit.", ""]
    family = ""
    for entry in FUNCTIONS.values():
        if entry.family != family:
            family = entry.family
            lines += [f"## {family}", ""]
        fields = f" Fields: {', '.join('`.' + name + '`' for name in entry.fields)}." if entry.fields else ""
        lines += [
            f"### `{entry.signature}`",
            "",
            f"{entry.summary}{fields}",
            "",
            f"- Formula: {entry.formula}",
            f"- Source: {entry.source}",
            f"- Seed: {entry.seed}",
            f"- First known bar: {entry.first_known}",
            "",
        ]
    lines += ["## Names", "", "| name | kind | meaning |", "|---|---|---|"]
    for name in BUILT_INS.values():
        fields = f" ({', '.join('.' + field for field in name.fields)})" if name.fields else ""
        lines.append(f"| `{name.name}`{fields} | {'record' if name.fields else name.kind} | {name.summary} |")
    return "\n".join(lines) + "\n"


def diagnostics_page() -> str:
    """Every diagnostic code."""
    lines = [
        "# Diagnostics",
        "",
        "Made from the checker by `scripts/reference.py`; do not edit.",
        "",
        "| code | severity | what | why |",
        "|---|---|---|---|",
    ]
    lines += [
        f"| [{code}](../diagnostics/{code}.md) | {item.severity} | {item.title} | {item.why} |"
        for code, item in CODES.items()
    ]
    return "\n".join(lines) + "\n"


def code_page(code: str) -> str:
    """One diagnostic code, with a script that has the mistake and what the checker says about it."""
    item = CODES[code]
    lines = [f"# {code}: {item.title}", "", f"*{item.severity}*. {item.why}", ""]
    for path in sorted(GOLDEN.glob("*.out")):
        told = path.read_text("utf-8")
        if not re.match(rf"\w+\[{code}\]", told):
            continue
        head, why, *rest = told.rstrip("\n").split("\n")
        where, _, message = head.partition("] ")[2].partition(" ")
        place = where.split("-")[0].replace(":", ", column ")
        help_text = why.removeprefix("  why: ").removeprefix(item.why).strip()
        lines += ["```", path.with_suffix(".skelb").read_text("utf-8").rstrip("\n"), "```", ""]
        lines.append(f"Line {place}: {message}.{f' {help_text}' if help_text else ''}")
        if rest and rest[0].startswith("  mend: "):
            text = ast.literal_eval(rest[0].removeprefix("  mend: "))
            lines.append(f"Mend: write `{text}`." if text else "Mend: leave it out.")
        lines.append("")
    return "\n".join(lines).rstrip("\n") + "\n"


def figures_page() -> str:
    """Every figure."""
    lines = [
        "# Figures",
        "",
        "Made from the figures' definitions by `scripts/reference.py`; do not edit. A figure without a meaning (no trades, no losses) is null.",  # noqa: E501
        "",
        "| key | unit | name | definition |",
        "|---|---|---|---|",
    ]
    lines += [f"| `{item.key}` | {item.unit} | {item.name} | {item.meaning} |" for item in FIGURES]
    return "\n".join(lines) + "\n"


def grammar() -> str:
    """The language by sight, for editors that read TextMate grammars; what words mean comes from the language
    server."""

    def words(found: Iterable[str]) -> str:
        return "|".join(sorted(found))

    patterns = [
        ("comment.line.number-sign", r"#.*$"),
        ("string.quoted.double", r'"(?:\\"|[^"])*"?'),
        ("constant.numeric", r"\b(?:\d{4}-\d{2}-\d{2}|\d{1,2}:\d{2}|\d+[mhdw]\b|\d+(?:\.\d+)?)"),
        ("keyword.control", rf"^(?:{words(STATEMENT_WORDS)})\b(?!\s*=(?!=))"),
        ("keyword.operator.word", rf"\b(?:{words(WORDS)})\b"),
        ("support.function", rf"\b(?:{words(FUNCTIONS)})(?=\s*\()"),
        ("variable.other.property", r"(?<=[A-Za-z0-9_)]\.)[A-Za-z_][A-Za-z0-9_]*"),
        ("support.constant", rf"\b(?:{words([*BUILT_INS, *POSITION_NAMES])})\b"),
        ("keyword.other", rf"\b(?:{words(TAIL_WORDS)})\b"),
    ]
    document = {
        "name": "Skelb",
        "scopeName": "source.skelb",
        "fileTypes": ["skelb"],
        "patterns": [{"name": f"{scope}.skelb", "match": match} for scope, match in patterns],
    }
    return json.dumps(document, indent=2) + "\n"


PAGES = {
    "../editors/skelb.tmLanguage.json": grammar,
    "guide/functions.md": functions_page,
    "guide/diagnostics.md": diagnostics_page,
    "guide/figures.md": figures_page,
    "guide/commands.md": commands_page,
    **{f"diagnostics/{code}.md": partial(code_page, code) for code in CODES},
}


def main() -> int:
    """0 when the pages are up to date (or were written), 1 when one is stale."""
    stale = [
        name for name, make in PAGES.items() if not (DOCS / name).exists() or (DOCS / name).read_text("utf-8") != make()
    ]
    if "--check" in sys.argv:
        for name in stale:
            print(f"docs/{name} is stale: run `make reference`")
        return bool(stale)
    for name in stale:
        (DOCS / name).write_text(PAGES[name](), "utf-8")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
