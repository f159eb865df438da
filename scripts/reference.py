"""Writes the reference pages that come from the program itself; with --check, says whether they are stale."""

import sys
from pathlib import Path

from skelb.core.catalogue import BUILT_INS, FUNCTIONS
from skelb.core.figures import FIGURES
from skelb.core.language import CODES

GUIDE = Path(__file__).parent.parent / "docs" / "guide"


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
    lines += [f"| {code} | {item.severity} | {item.title} | {item.why} |" for code, item in CODES.items()]
    return "\n".join(lines) + "\n"


def figures_page() -> str:
    """Every figure."""
    lines = [
        "# Figures",
        "",
        "Made from the figures' definitions by `scripts/reference.py`; do not edit. A figure without a meaning (no trades, no losses) is null.",
        "",
        "| key | unit | name | definition |",
        "|---|---|---|---|",
    ]
    lines += [f"| `{item.key}` | {item.unit} | {item.name} | {item.meaning} |" for item in FIGURES]
    return "\n".join(lines) + "\n"


PAGES = {"functions.md": functions_page, "diagnostics.md": diagnostics_page, "figures.md": figures_page}


def main() -> int:
    """0 when the pages are up to date (or were written), 1 when one is stale."""
    stale = [
        name
        for name, make in PAGES.items()
        if not (GUIDE / name).exists() or (GUIDE / name).read_text("utf-8") != make()
    ]
    if "--check" in sys.argv:
        for name in stale:
            print(f"docs/guide/{name} is stale: run `make reference`")
        return bool(stale)
    for name in stale:
        (GUIDE / name).write_text(PAGES[name](), "utf-8")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
