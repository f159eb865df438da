"""The cost of any text grows with its length and no faster, whatever the tool."""

import gc
import re
import time

import pytest

from skelb.core.language import check
from skelb.core.language.assist import Surroundings, completions, definition_of, outline, uses_of, word_sorts
from skelb.core.language.checking import pass_meanings
from skelb.core.language.reading import parser, tokens
from skelb.core.language.tools import (
    format_source,
    inline_used,
    mirrored_rules,
    name_places,
    read_back,
    sheet_of,
    what_is_wrong,
)
from skelb.service.language_server import Positions
from tests.conftest import DEMO_SETTING

pytestmark = pytest.mark.law

RULE = "enter long when close > open\nsize 1 units\n"


def _names(step, last):
    """Names of which each is made of the one before."""

    def text(n):
        lines = "".join(f"a{i + 1} = {step.format(i=i)}\n" for i in range(n))
        return f"a0 = close\n{lines}enter long when {last.format(n=n)}\nsize 1 units\n"

    return text


TEXTS = {
    "names used twice": _names("a{i} + a{i}", "a{n} > open"),
    "names used twice in calls": _names("max(a{i}, sma(a{i}, 3))", "a{n} > open"),
    "names used twice in a distance": lambda n: _names("a{i} - a{i} / 2", "a{n} > open")(n) + f"stop a{n}\n",
    "a chain of names": _names("a{i}", "a{n} > open"),
    "a chain of conditions": lambda n: _names("a{i} and close > {i}", "a{n}")(n).replace("a0 = close", "a0 = close > 1"),
    "rules": lambda n: "".join(f'enter long when close > open + {i} named "r{i}"\n' for i in range(n)) + "size 1 units\n",
    "inputs": lambda n: "".join(f"input n{i} = {i + 1} from 1 to {i + 10}\n" for i in range(n)) + RULE,
    "functions": lambda n: "".join(f"define f{i}(x) = x + {i}\ny{i} = f{i}(close)\n" for i in range(n)),
    "functions in functions": lambda n: "define f0(x) = x + 1\n" + "".join(f"define f{i + 1}(x) = f{i}(x) + f{i}(x)\n" for i in range(n)) + f"y = f{n}(close)\n",
    "running values": lambda n: "".join(f"carry c{i} = c{i} + 1 starting 0\n" for i in range(n)) + RULE,
    "unknown names": lambda n: "".join(f"x{i} = yy{i}\n" for i in range(n)),
    "lines of another language": lambda n: "".join(f"pen.line(maths.mean(bars.close, {i}), hue=hues.rust)\n" for i in range(n)),
    "rules switched off": lambda n: "# off: enter long when close > open\n" * n,
    "closing brackets": lambda n: f"x = close {')' * (n * 8)}\n",
    "opening brackets": lambda n: "x = (\n" * n,
    "emoji": lambda n: "🦀" * (n * 100) + "\n",
    "signs of other languages": lambda n: "x = close " + "\\' " * (n * 20) + "\n",
    "quotes": lambda n: '"' * (n * 100) + "\n",
    "lines of quotes": lambda n: '"\n' * n,
    "one long name": lambda n: f"x = {'a' * (n * 100)}\n",
    "commas": lambda n: f"x = sma({'close,' * n}3)\n",
    "conditions": lambda n: f"x = close > open{' and close > open' * n}\n",
}  # fmt: skip


def last_word(text):
    """The place of the last name, so that the same is asked of the short text and the long one."""
    return max((found.start() for found in re.finditer(r"[a-z_]\w*", text)), default=len(text))


TOOLS = {
    "check": lambda text, checked: check(text, DEMO_SETTING),
    "positions": lambda text, checked: [
        Positions(text, "utf-16").range(found.span) for found in checked.diagnostics[:1]
    ],
    "read_back": lambda text, checked: read_back(checked),
    "mirror": lambda text, checked: mirrored_rules(checked),
    "sheet": lambda text, checked: sheet_of(checked),
    "inline": lambda text, checked: inline_used(text, DEMO_SETTING.scripts),
    "format": lambda text, checked: format_source(text),
    "what_is_wrong": lambda text, checked: what_is_wrong(text, checked.diagnostics),
    "places": lambda text, checked: name_places(text),
    "outline": lambda text, checked: outline(text),
    "sorts": lambda text, checked: word_sorts(text, checked),
    "completions": lambda text, checked: completions(text, last_word(text), checked, Surroundings()),
    "definition": lambda text, checked: definition_of(text, last_word(text), checked),
    "uses": lambda text, checked: uses_of(text, last_word(text)),
}
DOUBLINGS = 3  # at once: what a busy machine adds is small beside what a square would
MOST = 2.5**DOUBLINGS  # times the cost: 2.5 for each
TOO_SHORT = 0.1  # seconds at the longer text: nothing that could be said of how it grows
TRIES = 8


@pytest.mark.parametrize("name", TEXTS)
def test_twice_the_text_costs_at_most_two_and_a_half_times_as_much(name):
    short, long = TEXTS[name](200), TEXTS[name](200 * 2**DOUBLINGS)
    of_short, of_long = check(short, DEMO_SETTING), check(long, DEMO_SETTING)
    for tool, use in TOOLS.items():
        grows = _growth(lambda use=use: use(short, of_short), lambda use=use: use(long, of_long))
        assert grows <= MOST, f"{tool} takes {grows:.1f} times as long for {2**DOUBLINGS} times the text"


def _growth(short, long):
    """How many times the processor's time of the first the second takes, the least of some tries each.

    Cost is what the law is about, so it is measured; a machine that is busy meanwhile only adds tries.
    """
    best_short = best_long = float("inf")
    for _ in range(TRIES):
        best_short, best_long = min(best_short, _cost(short)), min(best_long, _cost(long))
        if best_long < TOO_SHORT or best_long <= MOST * best_short:
            break
    return 0.0 if best_long < TOO_SHORT else best_long / best_short


def _cost(work):
    for held in (tokens.tokenize, parser._read_cached):  # what was read before costs nothing
        held.cache_clear()
    pass_meanings._outcomes.clear()
    gc.disable()  # what it costs depends on all that was there before
    try:
        begun = time.process_time()
        work()
        return time.process_time() - begun
    finally:
        gc.enable()
