"""Where the guide's pages are kept, and what is in one. Apart from the guide, so that a page is read without it."""

from pathlib import Path

_PACKAGED = Path(__file__).parents[1] / "guide"  # where a wheel has it
GUIDE = _PACKAGED if _PACKAGED.exists() else Path(__file__).parents[2] / "docs" / "guide"


def titled_page(path: Path) -> tuple[str, str]:
    """The heading of a page and the rest."""
    title, _, text = path.read_text("utf-8").partition("\n")
    return title.removeprefix("# ").strip(), text.strip()


def command_sections() -> dict[str, str]:
    """What each command does and takes, by the words it is called with, as the page of the command line tells it."""
    _, text = titled_page(GUIDE / "commands.md")
    _, *sections = text.split("\n## skelb ")
    return {words: section.strip() for words, _, section in (part.partition("\n") for part in sections)}
