"""Signal search: every small combination of conditions as the entry of a script, written as one script to sweep."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from math import comb

from skelb.core.errors import SettingsError
from skelb.core.language import Checked, Setting, check
from skelb.core.language.tools import without_rules
from skelb.core.language.tree import Exit, ExitAfter, Flat, Protect, Trail

MOST_COMBINATIONS = 1_500
CHOICE = "tried_signal"
_TITLE = re.compile(r'^[ \t]*title[ \t]+"([^"\n]*)"[^\n]*$', re.MULTILINE)
_LEAVES = (Exit, ExitAfter, Protect, Trail, Flat)

READY_CONDITIONS: tuple[str, ...] = (
    "close > sma(close, 50)",
    "close < sma(close, 50)",
    "ema(close, 10) > ema(close, 40)",
    "ema(close, 10) < ema(close, 40)",
    "(close > sma(close, 10)) on 1d",
    "(close < sma(close, 10)) on 1d",
    "adx(14).adx > 20",
    "adx(14).adx < 20",
    "rsi(close, 14) > 60",
    "rsi(close, 14) < 40",
    "rsi(close, 2) < 10",
    "rsi(close, 2) > 90",
    "close > prior(highest(high, 20))",
    "close < prior(lowest(low, 20))",
    "close < bollinger(close, 20, 2).lower",
    "close > bollinger(close, 20, 2).upper",
    "range > 1.5 * atr(20)",
    "range < 0.7 * atr(20)",
    "climbs(close, 3)",
    "sinks(close, 3)",
    "volume > 1.5 * sma(volume, 20)",
    "close > prior_day.high",
    "close < prior_day.low",
    "weekday in (mon, tue)",
)  # fmt: skip


@dataclass(frozen=True)
class Search:
    """A script whose input `tried_signal` chooses the entry; `labels` say which words stand for which conditions.

    `kept` is the script without entries.
    """

    kept: str
    text: str
    labels: dict[str, str]

    @property
    def vary(self) -> str:
        """The axis of all combinations, as a sweep reads it."""
        return f"{CHOICE}={','.join(self.labels)}"

    def strategy(self, word: str, side: str) -> str:
        """One of the combinations as a script of its own, titled after the script and the combination."""
        kept = _TITLE.sub("", self.kept).strip("\n")
        stated = _TITLE.search(self.kept)
        title = f"{stated[1] if stated else 'Search'}: {word} {side}"
        return f'title "{title}"\n{kept}\n\nenter {side} when {self.labels[word]}\n'


def search_script(
    base: Checked, conditions: Sequence[str], setting: Setting | None = None, most_parts: int = 2, hold: int = 20
) -> Search:
    """The script of a search: `base` without its entries, and an entry for every combination of 1 to `most_parts`.

    Every combination enters both ways; a sweep over `sides` tells them apart. A base that never leaves a position gets
    `exit after {hold} bars`. Raises SettingsError on a condition that cannot be read, without any, or with too many.
    """
    distinct = tuple(dict.fromkeys(" ".join(text.split()) for text in conditions if text.strip()))
    if not distinct:
        raise SettingsError("a search needs at least one condition")
    if not 1 <= most_parts <= 3:
        raise SettingsError("a combination has one, two or three conditions")
    count = sum(comb(len(distinct), parts) for parts in range(1, most_parts + 1))
    if count > MOST_COMBINATIONS:
        raise SettingsError(
            f"{len(distinct)} conditions make {count:,} combinations; at most {MOST_COMBINATIONS:,}: use fewer"
        )
    kept = without_rules(base, ("entries",))
    _refuse_wrong(kept, distinct, setting)
    numbered = list(enumerate(distinct, start=1))
    labels, rules = {}, []
    for parts in range(1, most_parts + 1):
        for chosen in combinations(numbered, parts):
            word = "s" + "_".join(str(number) for number, _ in chosen)
            labels[word] = " and ".join(_as_part(text) if parts > 1 else text for _, text in chosen)
            rules += [f"enter {side} when {labels[word]} only if {CHOICE} is {word}" for side in ("long", "short")]
    if not any(isinstance(placed.statement, _LEAVES) for placed in check(kept, setting).statements):
        kept = f"{kept.rstrip()}\nexit after {hold} bars\n"
    lines = [kept.rstrip("\n"), f"input {CHOICE} = s1 one of {', '.join(labels)}", *rules]
    return Search(kept, "\n".join(lines) + "\n", labels)


def _as_part(text: str) -> str:
    """A condition that others can be joined to."""
    return f"({text})" if re.search(r"\b(or|then|unless|not)\b", text) else text


def _refuse_wrong(base: str, conditions: Sequence[str], setting: Setting | None) -> None:
    for text in conditions:
        if re.search(r"[\n#]", text):
            raise SettingsError(f"`{text}` is not one condition")
        found = check(f"{base.rstrip()}\nsearched_{CHOICE} = {text}\nenter long when searched_{CHOICE}\n", setting)
        errors = [item for item in found.diagnostics if item.severity == "error"]
        if errors:
            raise SettingsError(f"`{text}` cannot be searched: {errors[0].message}")
