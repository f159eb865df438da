"""What `--help` prints: the command's section of the guide, so that nothing is loaded only to be described."""

import re
import textwrap
from shutil import get_terminal_size

from skelb.service.guide_files import command_sections

_WIDEST_TERM = 30  # a wider one has its words on the next line


def help_of(words: list[str]) -> str:
    """What the command that these words begin with does and takes, laid out for the terminal."""
    sections = command_sections()
    named = next(" ".join(words[:count]) for count in (2, 1) if " ".join(words[:count]) in sections)
    width = min(get_terminal_size().columns, 120)
    return "\n".join(_laid_out(block, width) for block in sections[named].split("\n\n"))


def _laid_out(block: str, width: int) -> str:
    if block.startswith("```"):
        return block.strip("`\n") + "\n"
    if not block.startswith("- "):
        return textwrap.fill(block.replace("`", ""), width) + "\n"
    items = re.findall(r"^- `([^`]+)`: (.*)$", block, re.MULTILINE)
    column = min(_WIDEST_TERM, max(len(term) for term, _ in items)) + 4
    lines = []
    for term, told in items:
        first = f"  {term:{column - 2}}" if len(term) <= _WIDEST_TERM else f"  {term}\n{' ' * column}"
        filled = textwrap.wrap(told.replace("`", ""), max(width - column, 30))
        lines.append(first + f"\n{' ' * column}".join(filled))
    return "\n".join(lines) + "\n"
