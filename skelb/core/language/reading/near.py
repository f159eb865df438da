"""The nearest known words to a misspelt one."""

from collections.abc import Iterable

LEAST = 70.0  # percent of letters in common, in order


def nearest(word: str, known: Iterable[str], most: int = 3) -> list[str]:
    """Up to `most` of the `known` words that are close to `word`, best first; none when nothing is close."""
    # Loaded here because it takes longer than checking a script, and a script without a misspelt word does not need it.
    from rapidfuzz.fuzz import ratio
    from rapidfuzz.process import extract

    lowered, names = word.lower(), list(known)
    alike = {
        names[index]: score
        for _, score, index in extract(
            lowered, [name.lower() for name in names], scorer=ratio, score_cutoff=LEAST, limit=most
        )
    }
    if len(lowered) >= 3:  # the beginning of a longer word
        for name in names:
            if name.startswith(lowered):
                alike.setdefault(name, ratio(lowered, name.lower()))
    return sorted(alike, key=lambda name: (-alike[name], name))[:most]
