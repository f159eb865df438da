"""A script's title, and the titles it names."""

import re

from skelb.core.language.diagnostics import Span
from skelb.core.language.reading.parser import parse
from skelb.core.language.tree import Title, Use

_QUOTED = re.compile(r'"(?:\\.|[^"\\])*"')


def retitled(source: str, title: str) -> str:
    """The script under another title, which stands on its first line when it had none."""
    quoted = '"' + title.replace('"', '\\"') + '"'
    for placed in parse(source).statements:
        if isinstance(placed.statement, Title):
            found = _QUOTED.search(placed.text)
            if found:
                return source[: placed.start + found.start()] + quoted + source[placed.start + found.end() :]
    return f"title {quoted}\n{source}"


def used_places(source: str) -> list[tuple[str, Span]]:
    """The titles of the scripts that this one uses, each with its place in the text."""
    return [
        (
            placed.statement.title,
            (placed.start + placed.statement.title_span[0], placed.start + placed.statement.title_span[1]),
        )
        for placed in parse(source).statements
        if isinstance(placed.statement, Use)
    ]


def used_titles(source: str) -> set[str]:
    """Titles of the scripts whose names this one uses."""
    return {placed.statement.title for placed in parse(source).statements if isinstance(placed.statement, Use)}
