"""Labels with values in braces, such as `"up at {close}"`."""

import re
from dataclasses import dataclass


@dataclass(frozen=True)
class LabelPart:
    """A piece of plain text, or the text of an expression whose value stands in its place."""

    text: str
    is_value: bool


def label_parts(label: str) -> list[LabelPart]:
    """The pieces of a label in order; braces without content are plain text.

    >>> [part.text for part in label_parts("up at {close}!")]
    ['up at ', 'close', '!']
    """
    parts = []
    for index, piece in enumerate(re.split(r"\{([^{}]+)\}", label)):
        if piece:
            parts.append(LabelPart(piece, index % 2 == 1))
    return parts
