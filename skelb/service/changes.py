"""How one setup was changed from another, in words."""

from difflib import SequenceMatcher
from typing import Any

from skelb.core.language import Checked, check
from skelb.service.setup import Setup

_LONGEST = 300
_LONGEST_LINE = 60
FIRST = "first kept"


def changes_in_words(before: Setup, now: Setup) -> str:
    """What is different in at most one line, the most telling first; empty where nothing is."""
    old, new = check(before.text), check(now.text)
    inputs = _inputs(old, before), _inputs(new, now)
    found = [
        f"{name} {_said(inputs[0][name])} → {_said(value)}"
        for name, value in inputs[1].items()
        if name in inputs[0] and inputs[0][name] != value
    ]
    found += _text(before.text, now.text, inputs[0].keys() & inputs[1].keys())
    if (before.market, before.basket) != (now.market, now.basket):
        found.append(f"on {_place(now)} instead of {_place(before)}")
    elif before.dearest != now.dearest:
        found.append(f"markets cost at most {_said(before.dearest)} → {_said(now.dearest)}")
    if before.timeframe != now.timeframe:
        found.append(f"at {now.timeframe} instead of {before.timeframe}")
    for word, first, second in (("from", before.from_date, now.from_date), ("to", before.to_date, now.to_date)):
        if first != second:
            found.append(f"{word} {second or 'the end'} instead of {first or 'the end'}")
    if (before.sides, before.inverted) != (now.sides, now.inverted):
        found.append(f"sides {_sides(before)} → {_sides(now)}")
    if before.costs != now.costs:
        found.append(f"costs × {before.costs:g} → × {now.costs:g}")
    found += _settings("account", before.terms, now.terms, before.account != now.account and now.account)
    if before.market == now.market:
        found += _settings("market", before.described, now.described, False)
    return ", ".join(found)[:_LONGEST]


def _inputs(checked: Checked, setup: Setup) -> dict[str, Any]:
    return {name: setup.inputs.get(name, found.default) for name, found in checked.inputs.items()}


def _text(before: str, now: str, told: set[str]) -> list[str]:
    """Lines that differ, those apart that only give an input another value that is told already."""
    first, second = before.splitlines(), now.splitlines()
    removed, added = [], []
    for kind, begin, end, start, stop in SequenceMatcher(None, first, second, autojunk=False).get_opcodes():
        if kind != "equal":
            removed += [line for line in first[begin:end] if line.strip() and not _is_told(line, told)]
            added += [line for line in second[start:stop] if line.strip() and not _is_told(line, told)]
    old, new = (" ".join(" ".join(lines).split()) for lines in (removed, added))
    count = max(len(removed), len(added))
    if count == 0:
        return []
    if count > 1 or len(old) > _LONGEST_LINE or len(new) > _LONGEST_LINE:
        return [f"text: {count} line{'s' * (count != 1)}"]
    if not old:
        return [f"added {new}"]
    return [f"{old} → {new}" if new else f"without {old}"]


def _is_told(line: str, inputs: set[str]) -> bool:
    words = line.split()
    return len(words) > 1 and words[0] == "input" and words[1] in inputs


def _settings(what: str, before: dict[str, Any], now: dict[str, Any], another: str | bool) -> list[str]:
    """Settings that differ, of two that are told whole."""
    if another:
        return [f"with {another}"]
    keys = [key for key in now if key in before and before[key] != now[key]]
    if len(keys) > 2:
        return [f"{what}: {len(keys)} settings"]
    return [f"{what} {key.replace('_', ' ')} {_said(before[key])} → {_said(now[key])}" for key in keys]


def _place(setup: Setup) -> str:
    return f"a basket of {len(setup.basket)}" if setup.basket else setup.market


def _sides(setup: Setup) -> str:
    return setup.sides + (" exchanged" if setup.inverted else "")


def _said(value: object) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}"
    return "none" if value is None else "another" if isinstance(value, list | dict) else str(value)
