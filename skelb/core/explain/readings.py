"""A script as it reads on one bar: each line's value, and its conditions' parts marked yes, no or unknown."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from skelb.core.bars import Market
from skelb.core.explain.explanation import Explanation, RuleReading
from skelb.core.explain.reading import ConditionPart, Reader, Worth
from skelb.core.language import Checked
from skelb.core.language.tree import Carry, Definition, Enter, Exit, Name, Placed, Use

Tone = Literal["yes", "no", "unknown", "number"]
_MOST_TAKEN = 6


@dataclass(frozen=True)
class LineReading:
    """What a statement is worth, to stand at the end of the line that ends at `end`, a place in the script."""

    end: int
    text: str
    tone: Tone


@dataclass(frozen=True)
class MarkedPart:
    """A part of a condition from one place of the script to another."""

    start: int
    end: int
    tone: Tone


@dataclass(frozen=True)
class Readings:
    """A reading for each line that has one, and the marked parts of conditions."""

    lines: tuple[LineReading, ...]
    marks: tuple[MarkedPart, ...]


def readings_of(checked: Checked, explanation: Explanation, reader: Reader, market: Market) -> Readings:
    """The readings of a script's own statements on the bar of an explanation; `reader` reads that bar."""
    rules = {rule.start: rule for rule in explanation.rules}
    lines: list[LineReading] = []
    marks: list[MarkedPart] = []
    for placed in checked.statements:
        if not placed.is_here:
            continue
        found = _of_statement(placed, rules.get(placed.start), checked, reader, market)
        if found is None:
            continue
        text, tone, condition = found
        lines.append(LineReading(placed.start + len(placed.text.rstrip()), text, tone))
        if condition is not None:
            marks += _marks(condition, placed.start)
    return Readings(tuple(lines), tuple(marks))


def _of_statement(
    placed: Placed, rule: RuleReading | None, checked: Checked, reader: Reader, market: Market
) -> tuple[str, Tone, ConditionPart | None] | None:
    match placed.statement:
        case Definition() if fields := reader.fields(placed.statement.value):
            told = [f"{name} {worded(value, False, market)}" for name, value in fields.items()]
            return ", ".join(told), "unknown" if None in fields.values() else "number", None
        case Definition():
            part = reader.part(placed.statement.value, placed.text, opens_names=False)
            return worded(part.value, part.is_condition, market), tone_of(part), part if part.is_condition else None
        case Carry():
            values = [reader.value(Name(name, placed.statement.span)) for name in placed.statement.names]
            return ", ".join(worded(value, kind, market) for value, kind in values), "number", None
        case Use():
            return _taken(checked.taken_from[placed.statement.name], reader, market)
        case Enter() | Exit() if rule is not None:
            text = rule.did or worded(rule.condition.value, True, market)
            return text, tone_of(rule.condition), rule.condition
        case _:
            return None


def _taken(names: Sequence[str], reader: Reader, market: Market) -> tuple[str, Tone, None] | None:
    """The values that are taken of a used script, under their names there; of many the first."""
    told = []
    for name in names[:_MOST_TAKEN]:
        node, own = Name(name, (0, 0)), name.partition(".")[2]
        if fields := reader.fields(node):
            told += [f"{own}.{field} {worded(value, False, market)}" for field, value in fields.items()]
        else:
            told.append(f"{own} {worded(*reader.value(node), market)}")
    return (", ".join(told + ["…"] * (len(names) > _MOST_TAKEN)), "number", None) if told else None


def worded(value: Worth, is_condition: bool, market: Market) -> str:
    """A value as it is read: yes, no, unknown, or a number with no more digits than it needs."""
    if value is None:
        return "unknown"
    if is_condition:
        return "yes" if value else "no"
    places = market.decimals if abs(value) >= market.tick * 10 else 6
    return f"{value:,.{max(places, 2)}f}"


def tone_of(part: ConditionPart) -> Tone:
    """How a part is marked."""
    if part.value is None:
        return "unknown"
    return ("yes" if part.value else "no") if part.is_condition else "number"


def _marks(part: ConditionPart, start: int) -> Iterator[MarkedPart]:
    """The innermost conditions written in a statement."""
    inner = [child for child in part.parts if child.is_condition and child.is_here]
    if inner:
        for child in inner:
            yield from _marks(child, start)
    elif part.span[1] > part.span[0]:
        yield MarkedPart(start + part.span[0], start + part.span[1], tone_of(part))


def why_sentences(explanation: Explanation) -> tuple[str, ...]:
    """Why nothing was entered on the bar, or what was: a sentence for each entry rule."""
    found = []
    for rule in explanation.rules:
        if rule.kind != "enter":
            continue
        head = f"{rule.side} “{rule.name}”"
        if rule.did:
            found.append(f"{head}: {rule.did}")
            continue
        stopped = next(_stopping(rule.condition), rule.condition)
        worth = "unknown" if stopped.value is None else "no"
        also = "" if stopped.text == rule.name else f" because `{stopped.text}` was {worth}"
        found.append(f"{head} was {'unknown' if rule.condition.value is None else 'no'}{also}")
    return tuple(found)


def _stopping(part: ConditionPart) -> Iterator[ConditionPart]:
    """The innermost parts that keep a condition from being yes, in the order they are written."""
    inner = [child for child in part.parts if child.is_condition and child.value is not True]
    for child in inner:
        yield from _stopping(child)
    if not inner and part.value is not True:
        yield part
