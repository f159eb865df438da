"""Texts grown from sound scripts by changes of their words: some still sound, most broken in one place or more."""

import os
import random
import re
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from skelb.core.bars import Bars
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES
from skelb.core.language import check
from skelb.core.language.tools.examples import example_of
from skelb.demo import DEMO_SCRIPTS
from skelb.service.guide import entries
from tests.conftest import DEMO_SETTING, wave_bars

GOLDEN = Path(__file__).parent / "golden"
HOW_TO = [found.example for found in entries().values() if found.example]
_RULES = "enter long when close > open\nstop 2 * atr(14)\nexit after 3 bars\nsize 1 units\n"
_TEXTS = (
    [script.text for script in DEMO_SCRIPTS]
    + [path.read_text() for path in sorted(GOLDEN.glob("*.skelb"))]
    + [f"x = {example_of(name)}\ndraw x\n{_RULES}" for name in FUNCTIONS]
    + HOW_TO
)
SOUND = [text for text in _TEXTS if check(text, DEMO_SETTING).is_sound]
_PIECE = re.compile(r'"[^"\n]*"|\d+(?:\.\d+)?|[A-Za-z_]\w*|\s+|[^\w\s]')
_NUMBERS = ["0", "1", "2", "3", "14", "200", "0.5", "99.5", "1000", "1e9", "1e300", "1e-8"]
_SIGNS = ["+", "-", "*", "/", "^", "<", "<=", ">", ">=", "==", "!=", "(", ")", ",", "..", ".", "%", ":", "="]
_VALUES = [*BUILT_INS, *POSITION_NAMES]
_WORDS = (
    "and or not then unless yes no unknown is in crosses above below all of once if else on from long short".split()
)
_LINES = [line for text in SOUND for line in text.splitlines() if line and not line.startswith((" ", "title", "use"))]


def seeds(count: int) -> Iterator[int]:
    """The first `count` seeds; with SOAK_MINUTES set, other ones for so long."""
    minutes = float(os.environ.get("SOAK_MINUTES", "0"))
    if not minutes:
        yield from range(count)
        return
    seed, end = time.time_ns(), time.monotonic() + minutes * 60
    while time.monotonic() < end:
        seed += 1
        yield seed


def text_of(seed: int) -> str:
    """A text: a sound script after one to four changes. The same for the same seed."""
    dice = random.Random(seed)
    text = dice.choice(SOUND)
    for _ in range(dice.randint(1, 4)):
        text = dice.choice(_CHANGES)(text, dice)
    return text


def _other_piece(text: str, dice: random.Random) -> str:
    """One word, number or sign becomes another one, mostly of its sort."""
    pieces = _PIECE.findall(text)
    places = [index for index, piece in enumerate(pieces) if not piece.isspace()]
    if not places:
        return text
    at = dice.choice(places)
    piece = pieces[at]
    if piece[0].isdigit():
        pool = _NUMBERS
    elif piece in FUNCTIONS:
        pool = list(FUNCTIONS)
    elif piece in _VALUES:
        pool = _VALUES
    elif piece in _WORDS:
        pool = _WORDS
    elif piece[0].isalpha():
        pool = [other for other in pieces if other[0].isalpha()]
    else:
        pool = _SIGNS
    if dice.random() < 0.1:
        pool = [*_NUMBERS, *_SIGNS, *_WORDS, *_VALUES, '"', "#", "\n", "🦀", "é", "\t"]
    pieces[at] = dice.choice(pool)
    return "".join(pieces)


def _line_less(text: str, dice: random.Random) -> str:
    lines = text.splitlines(keepends=True)
    if lines:
        del lines[dice.randrange(len(lines))]
    return "".join(lines)


def _line_more(text: str, dice: random.Random) -> str:
    lines = text.splitlines(keepends=True)
    lines.insert(dice.randint(0, len(lines)), f"{dice.choice(_LINES)}\n")
    return "".join(lines)


def _wrapped(text: str, dice: random.Random) -> str:
    """A value somewhere becomes one that is computed from it."""
    found = [match for match in re.finditer(r"\b[a-z_]\w*\b", text) if match[0] in BUILT_INS]
    if not found:
        return text
    match = dice.choice(found)
    forms = ["prior({}, 3)", "({} on 4h)", "({} on 1d forming)", "sma({}, 5)", "zscore({}, 20)", "({} if close > open else unknown)",
             "1 / ({} - {})", "sqrt(-{})", "{} ^ 40", "now({})", "highest({}, 30)"]  # fmt: skip
    return text[: match.start()] + dice.choice(forms).replace("{}", match[0]) + text[match.end() :]


def _cut(text: str, dice: random.Random) -> str:
    first, last = sorted((dice.randint(0, len(text)), dice.randint(0, len(text))))
    return text[:first] + text[min(last, first + 8) :]


_CHANGES = [_other_piece] * 6 + [_line_less, _line_more, _line_more, _wrapped, _wrapped, _cut]


SHAPES = ("walk", "rising", "flat", "tiny", "huge", "negative", "gaps")


def bars_of(shape: str, size: int) -> Bars:
    """So many bars of 15 minutes of a shape that scripts stumble over."""
    bars, steps = wave_bars(size), np.arange(size)
    match shape:
        case "rising":
            close = 100 + steps * 0.25
            return replace(bars, open=close, high=close + 0.25, low=close - 0.25, close=close)
        case "flat":
            return replace(bars, **dict.fromkeys(("open", "high", "low", "close"), np.full(size, 100.0)))
        case "tiny" | "huge" | "negative":
            scale, moved = {"tiny": (1e-11, 0.0), "huge": (1e6, 0.0), "negative": (1.0, -1000.0)}[shape]
            prices = {name: getattr(bars, name) * scale + moved for name in ("open", "high", "low", "close")}
            return replace(bars, **prices)
        case "gaps":  # nights, weekends, weeks without bars
            return replace(bars, time=bars.time + np.cumsum(steps * 7_919 % 3 // 2 * 86_400 * (steps % 10)))
        case _:
            return bars
