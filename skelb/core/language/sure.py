"""Which mends are sure: those after which a statement has fewer mistakes, or only such as come after what was
mended."""

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Sequence
from dataclasses import replace

from skelb.core.language.diagnostics import Diagnostic, Mend
from skelb.core.language.reading.lines import logical_lines


def only_sure(
    source: str, found: Sequence[Diagnostic], look_again: Callable[[str], Sequence[Diagnostic]]
) -> tuple[Diagnostic, ...]:
    """The diagnostics, without the mends that would leave their statement as wrong as it was.

    All mends are made at once and the text is looked at once more. Reading stops at a statement's first mistake, so
    what is found further right then is progress, and so is what a statement that can be read now means wrongly
    elsewhere; a mistake where the mend was made, or one of reading before it, is not.
    """
    mends = sorted({item.mend for item in found if item.mend}, key=lambda mend: mend.span)
    if not mends:
        return tuple(found)
    mended, moved = _mended(source, mends)
    left = sorted((item for item in look_again(mended) if item.severity == "error"), key=lambda item: item.span)
    places = [item.span[0] for item in left]
    wrong = sorted(item.span[0] for item in found if item.severity == "error")
    lines = logical_lines(source)
    starts = [line.start for line in lines]
    kept = []
    for item in found:
        if item.mend and item.severity == "error":
            line = lines[max(0, bisect_right(starts, item.mend.span[0]) - 1)]
            begin, end = line.start, line.start + len(line.text)
            remaining = left[bisect_left(places, moved(begin)) : bisect_right(places, moved(end))]
            before = bisect_right(wrong, end) - bisect_left(wrong, begin)
            place = moved(item.mend.span[0]) + len(item.mend.text)
            if _is_reading(item):
                stays = any(
                    other.span[0] <= place and (_is_reading(other) or place <= other.span[1]) for other in remaining
                )
            else:
                stays = len(remaining) > before or any(other.span[0] <= place for other in remaining)
            if stays:
                item = replace(item, mend=None)
        kept.append(item)
    return tuple(kept)


def _is_reading(item: Diagnostic) -> bool:
    """Whether a statement could not be read, so that what it means was not looked at."""
    return item.code.startswith("S01")


def _mended(source: str, mends: Sequence[Mend]) -> tuple[str, Callable[[int], int]]:
    """The text with all mends made, and where an offset of the old text is in it."""
    pieces: list[str] = []
    ends, shifts, at = [0], [0], 0  # how far offsets from each end on are shifted
    for mend in mends:
        if mend.span[0] < at:
            continue  # it overlaps the one before
        pieces += [source[at : mend.span[0]], mend.text]
        at = mend.span[1]
        ends.append(at)
        shifts.append(shifts[-1] + len(mend.text) - (mend.span[1] - mend.span[0]))
    pieces.append(source[at:])
    return "".join(pieces), lambda offset: offset + shifts[bisect_right(ends, offset) - 1]
