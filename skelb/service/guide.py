"""The guide: every function, name, form, code and figure with its page, and how-to pages; all searchable."""

import re
from collections import defaultdict
from dataclasses import dataclass, replace
from functools import cache
from os.path import normpath
from pathlib import Path

from skelb.core.bars import Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES
from skelb.core.errors import NotFoundError
from skelb.core.export import Preview, preview_of
from skelb.core.figures import FIGURES
from skelb.core.language import CODES, Setting, check
from skelb.core.language.forms import FORMS
from skelb.core.language.tools import example_of
from skelb.core.plan import input_values
from skelb.service.datasets import Datasets
from skelb.service.guide_files import GUIDE, command_sections, titled_page
from skelb.service.library import Library

_PICTURE_MARKET, _PICTURE_TIMEFRAME, _PICTURE_BARS = "KELP", "1h", 140
_GROUPS = {
    "defines": "Statements that define",
    "shows": "Statements that show",
    "rules": "Rules",
    "expressions": "Expressions",
}


@dataclass(frozen=True)
class Entry:
    """One page: `text` is Markdown, `example` a script to open in the Workbench, empty without; `also` are words that
    people look for it by."""

    id: str
    group: str
    title: str
    summary: str
    text: str
    example: str = ""
    also: str = ""


@cache
def entries() -> dict[str, Entry]:
    """Every page by its id, in the order of the guide."""
    found = [*_how_tos(), *_pages(), *_forms(), *_functions(), *_names(), *_figures(), *_codes(), *_commands()]
    also = other_words()
    return {entry.id: replace(entry, also=", ".join(also.get(entry.id, ()))) for entry in found}


def found(words: str) -> list[Entry]:
    """The pages that hold every one of some words, best first: in the title, in what they are told by, in the text."""
    wanted = words.lower().split()
    pages = entries().values()
    if not wanted:
        return list(pages)
    tiers: tuple[list[Entry], ...] = ([], [], [])
    for page in pages:
        told = f"{page.title} {page.group} {page.summary} {page.also}"
        for tier, text in zip(tiers, (page.title, told, f"{told} {page.text} {page.example}"), strict=True):
            if all(word in text.lower() for word in wanted):
                tier.append(page)
                break
    return [page for tier in tiers for page in tier]


def other_words() -> dict[str, list[str]]:
    """The words that people look for and no page has in its title, by the pages that speak of them."""
    found: dict[str, list[str]] = defaultdict(list)
    for line in (GUIDE / "other-words.txt").read_text("utf-8").splitlines():
        words, _, pages = line.partition(": ")
        if not line.startswith("#"):
            for page in pages.split(", "):
                found[page] += words.split(", ")
    return found


def entry(name: str) -> Entry:
    """One page. Raises NotFoundError when there is none of that id."""
    found = entries().get(name)
    if found is None:
        raise NotFoundError(f"the guide has no page `{name}`")
    return found


def _linked(text: str, path: Path) -> str:
    """A page's text with its links to other files as addresses of their pages."""

    def address(found: re.Match[str]) -> str:
        file = Path(normpath(path.parent / found[1]))
        group = {GUIDE: "page", GUIDE / "howto": "howto", GUIDE.parent / "diagnostics": "code"}[file.parent]
        return f"](/guide?page={group}/{file.stem})"

    return re.sub(r"\]\(([\w./-]+)\.md\)", address, text)


def _page(path: Path) -> tuple[str, str]:
    """The heading of a page and the rest."""
    title, text = titled_page(path)
    return title, _linked(text, path)


def _how_tos() -> list[Entry]:
    found = []
    for path in sorted((GUIDE / "howto").glob("*.md")):
        title, text = _page(path)
        script = re.search(r"```skelb\n(.*?)```", text, re.DOTALL)
        summary = text.split("\n\n")[0]
        found.append(Entry(f"howto/{path.stem}", "How to", title, summary, text, script[1] if script else ""))
    return found


def _pages() -> list[Entry]:
    wanted = ("workbench.md", "report.md", "logbook.md", "language.md", "words.md", "engine.md", "trials.md", "feed.md")
    found = []
    for path in (GUIDE / name for name in wanted):
        if path.exists():
            title, text = _page(path)
            found.append(Entry(f"page/{path.stem}", "Pages", title, "", text))
    return found


def _commands() -> list[Entry]:
    found = []
    for words, text in command_sections().items():
        summary = text.partition("\n")[0]
        found.append(Entry(f"command/{words.replace(' ', '-')}", "Command line", f"skelb {words}", summary, text))
    return found


def _forms() -> list[Entry]:
    return [
        Entry(f"form/{form.word}", _GROUPS[form.group], form.word, form.summary,
              f"```skelb\n{form.template}\n```\n\n{form.summary}", form.example)
        for form in FORMS
    ]  # fmt: skip


def _functions() -> list[Entry]:
    found = []
    for item in FUNCTIONS.values():
        fields = f"\n\nFields: {', '.join(f'`.{name}`' for name in item.fields)}" if item.fields else ""
        text = (
            f"```skelb\n{item.signature}\n```\n\n{item.summary}{fields}\n\n- **Formula.** {item.formula}\n"
            f"- **First known bar.** {item.first_known}\n- **Seed.** {item.seed}\n- **Source.** {item.source}"
        )
        found.append(Entry(f"function/{item.name}", item.family, item.name, item.summary, text, example_of(item.name)))
    return found


def _names() -> list[Entry]:
    found = []
    for item in BUILT_INS.values():
        fields = f"\n\nFields: {', '.join(f'`.{name}`' for name in item.fields)}" if item.fields else ""
        found.append(
            Entry(
                f"name/{item.name}",
                "Names of the bar",
                item.name,
                item.summary,
                f"{item.summary}{fields}",
                example_of(item.name),
            )
        )
    for name, known in POSITION_NAMES.items():
        text = f"{known.summary}\n\nIn rules only."
        found.append(Entry(f"name/{name}", "Names of the position", name, known.summary, text))
    return found


def _figures() -> list[Entry]:
    return [
        Entry(f"figure/{item.key}", "Figures", item.name, item.meaning, f"{item.meaning}\n\nUnit: {item.unit}.")
        for item in FIGURES
    ]


def _codes() -> list[Entry]:
    found = []
    for code, item in CODES.items():
        path = GUIDE.parent / "diagnostics" / f"{code}.md"
        text = _page(path)[1] if path.exists() else item.why
        found.append(Entry(f"code/{code}", "What the checker says", f"{code}: {item.title}", item.why, text))
    return found


def picture(name: str, library: Library, datasets: Datasets) -> Preview:
    """The example of a page on demo bars. Raises NotFoundError when it has none, or there are no bars to show it on."""
    found = entry(name)
    if not found.example:
        raise NotFoundError(f"the page `{name}` has no example")
    dataset = datasets.get(_PICTURE_MARKET, Timeframe.parse(_PICTURE_TIMEFRAME))
    checked = check(found.example, Setting(scripts=library.saved_script))
    size = len(dataset)
    return preview_of(checked, input_values(checked, {}), dataset, max(0, size - _PICTURE_BARS), size)
