"""Prices upside down, rules mirrored: the same trades with the sides exchanged, whatever the rules are made of."""

import re
from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES
from skelb.core.engine import Account, run
from skelb.core.language import check
from skelb.core.language.tools import mirrored_rules
from skelb.core.plan import Expressions, input_values, make_dataset, make_plan

LEVEL, SIZE = 3_000.0, 3_000
SERIES = ("close", "high", "close - open", "rsi(close, 5)", "volume")


def turned(bars):
    """Every price p as LEVEL - p: prices are multiples of a quarter, so nothing is rounded."""
    prices = {
        "open": LEVEL - bars.open,
        "high": LEVEL - bars.low,
        "low": LEVEL - bars.high,
        "close": LEVEL - bars.close,
    }
    return replace(bars, **prices)


@lru_cache
def datasets():
    """Bars with gaps, on quarters, and the same upside down."""
    rng = np.random.default_rng(5)
    opens = 1_000.0 + np.cumsum(rng.integers(-8, 9, SIZE)) / 4
    closes = opens + rng.integers(-9, 10, SIZE) / 4
    for i in range(1, SIZE):  # what is equal in numbers need not be to the last bit in the mirror
        closes[i] += 0.25 * (closes[i] == closes[i - 1])
    high = np.maximum(opens, closes) + rng.integers(0, 6, SIZE) / 4
    low = np.minimum(opens, closes) - rng.integers(0, 6, SIZE) / 4
    time = 1_704_186_000 + np.arange(SIZE) * 900
    bars = Bars(Timeframe(15), time, opens, high, low, closes, rng.integers(1, 900, SIZE).astype(np.float64))
    return tuple(make_dataset(found, Market("WAVE", tick=0.25)) for found in (bars, turned(bars)))


def trades(text, dataset):
    checked = check(text)
    assert checked.is_sound, (text, checked.diagnostics)
    plan = make_plan(checked, dataset, input_values(checked, {}))
    found = run(plan, Account(capital=1e7)).trades
    prices = np.column_stack((found.entry_mid, found.exit_mid))
    return found.entry_bar.tolist(), found.exit_bar.tolist(), found.side.tolist(), prices


def same_trades(definitions, rules):
    """Whether rules have a mirror image; if so, it makes the same trades upside down."""
    text = "\n".join([definitions, *rules, "size 1 units"])
    found = mirrored_rules(check(text))
    if found.missing:
        assert not found.lines or len(found.missing) < len(rules)
        return False
    long = trades(text, datasets()[0])
    short = trades("\n".join([definitions, *found.lines, "size 1 units"]), datasets()[1])
    assert long[0] and long[:2] == short[:2], (text, found.lines)
    assert set(long[2]) == {1} and set(short[2]) == {-1}
    np.testing.assert_allclose(LEVEL - short[3], long[3], atol=1e-6)
    return True


def forms():
    """Every function of every series, every field, every name: the value as it is written, and what the catalogue says."""
    for function in FUNCTIONS.values():
        takes = function.parameters and function.parameters[0].kind in ("number", "any")
        for x in SERIES if takes else (None,):
            call = function.example
            if x is not None:
                call = re.sub(
                    r"\((close - open|close > sma\(close, 20\)|sma\(close, 20\)|high|low|close|open|volume|sign\(close - open\)|close / 1000000)\b",
                    f"({x}",
                    call,
                    count=1,
                )
            for name, mirror in function.mirror.items() if function.fields else [("", function.mirror)]:
                yield f"{call}.{name}" if name else call, mirror, function.result == "condition"
    for name in [*BUILT_INS, *POSITION_NAMES]:
        entry = BUILT_INS.get(name) or POSITION_NAMES[name]
        if getattr(entry, "kind", "number") == "number":
            for part, mirror in entry.mirror.items() if isinstance(entry.mirror, dict) else [("", entry.mirror)]:
                yield f"{name}.{part}" if part else name, mirror, False


FORMS = {text: (mirror, is_condition) for text, mirror, is_condition in forms()}
OUT = "exit long when close crosses below sma(close, 7)"
# What has no mirror image: of prices, changes and swings that a function bends, or adds up.
BENT = {"sqrt", "log", "exp"}
NOT_OF_PRICES = {"sum", "cumulate", "round", "floor", "ceil", "sign", "abs"}


def rules_of(text, is_condition):
    """Rules with a value in them, of which one has a mirror image if the value has."""
    if is_condition:
        return [f"enter long when {text}\n{OUT}"]
    if text in POSITION_NAMES:
        enter = "enter long when close crosses above sma(close, 5)\n"
        return [
            f"{enter}exit long when {rule}" for rule in (f"{text} > 0.125 or bars_held > 9", f"close > {text} + 1.1")
        ]
    checked = check(f"value = {text}")
    expressions = Expressions(checked, input_values(checked, {}), datasets()[0])
    values = np.unique(np.broadcast_to(expressions.of(checked.definitions["value"].value), SIZE))
    known = values[~np.isnan(values)]
    if known.size < 2 or np.ptp(known) <= 1e-12 * np.abs(known).max():
        return []  # a setting of the market, or the same on every bar but for rounding
    begin = min(int(known.size * 0.6), known.size - 2)
    at = begin + int(np.argmax(np.diff(known[begin : begin + 30])))
    level = float(known[at] + known[at + 1]) / 2
    return [
        f"enter long when {text} > {level!r} and close > prior(close, 2)\n{OUT}",
        f"enter long when close > {text} - 1.0009765625\n{OUT}",
    ]


def has_image(text, is_condition):
    """Whether a value has a mirror image, which makes the same trades; None where it never changes."""
    rules = rules_of(text, is_condition)
    found = [same_trades("", item.split("\n")) for item in rules]
    return any(found) if rules else None


@pytest.mark.parametrize("text", [text for text, (mirror, _) in FORMS.items() if mirror.is_exact])
def test_whatever_is_mirrored_makes_the_same_trades_upside_down(text):
    is_condition = FORMS[text][1]
    name = text.partition("(")[0]
    series = next((item for item in sorted(SERIES, key=len, reverse=True) if item in text), "")
    bent = name in BENT and series not in ("", "volume")
    added = name in NOT_OF_PRICES and series in ("close", "high", "rsi(close, 5)")
    mixed = name in ("min", "max", "clamp") and series not in ("close", "high")
    assert has_image(text, is_condition) in (None, not (bent or added or mixed))


def test_what_is_nearly_mirrored_says_so():
    nearly = {text for text, (mirror, _) in FORMS.items() if not mirror.is_exact}
    assert {text.partition("(")[0] for text in nearly} == {
        "roc",
        "mfi",
        "rank",
        "historical_volatility",
        "open_profit",
        "best_profit",
        "worst_profit",
    }
