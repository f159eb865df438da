"""The nearest known words to a misspelt one."""

from collections.abc import Iterable
from difflib import SequenceMatcher


def nearest(word: str, known: Iterable[str], most: int = 3) -> list[str]:
    """Up to `most` of the `known` words that are close to `word`, best first; none when nothing is close."""
    lowered = word.lower()
    scored = []
    for candidate in known:
        if abs(len(candidate) - len(word)) > 4 and not candidate.startswith(lowered):
            continue
        score = SequenceMatcher(None, lowered, candidate.lower()).ratio()
        if score >= 0.7 or (len(lowered) >= 3 and candidate.startswith(lowered)):
            scored.append((-score, candidate))
    return [candidate for _, candidate in sorted(scored)[:most]]
