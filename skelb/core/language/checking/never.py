"""Conditions that can never be yes: empty number ranges, and a price beyond a band that contains it."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from skelb.core.catalogue import FUNCTIONS
from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.tree import Call, Comparison, Crossing, Expression, Logic, Name, Negative, Number


@dataclass(frozen=True, order=True)
class _Limit:
    """An end of a range of numbers; `strict` when the end itself is left out."""

    value: float
    strict: bool = False

    def words(self, strict: str, closed: str) -> str:
        return f"{strict if self.strict else closed} {self.value:g}"


_LOWEST, _HIGHEST = _Limit(-math.inf), _Limit(math.inf)
_ABOVE = {"open", "high", "low", "close", "mid", "typical"}


def never_yes(node: Expression, text: str, meanings: Mapping[str, Expression]) -> Diagnostic | None:
    """A warning when `node` can never be yes, else None.

    `text` is the statement's text, `meanings` what the script's names stand for. Sure cases only.
    """
    parts = list(node.parts) if isinstance(node, Logic) and node.operator == "and" else [node]
    ranges: dict[str, tuple[_Limit, _Limit]] = {}
    for part in parts:
        contained = _beyond_its_own_band(part, meanings)
        if contained:
            return contained
        if not isinstance(part, Comparison):
            continue
        for a, operator, b in zip(part.operands, part.operators, part.operands[1:], strict=False):
            limit = _limit(a, operator, b)
            if limit is None:
                continue
            subject, low, high = limit
            key = text[subject.span[0] : subject.span[1]]
            before = ranges.get(key) or _bounds(subject, meanings)
            now = (max(before[0], low), min(before[1], high, key=lambda item: (item.value, not item.strict)))
            ranges[key] = now
            if now[0].value > now[1].value or (now[0].value == now[1].value and (now[0].strict or now[1].strict)):
                below, above = now[1].words("below", "at most"), now[0].words("above", "at least")
                message = f"this can never be yes: `{key}` cannot be both {above} and {below}"
                return Diagnostic("S0401", message, node.span, None, "Perhaps `or` is meant.")
    return None


def _number(node: Expression) -> float | None:
    if isinstance(node, Number):
        return node.value
    if isinstance(node, Negative) and isinstance(node.x, Number):
        return -node.x.value
    return None


def _limit(a: Expression, operator: str, b: Expression) -> tuple[Expression, _Limit, _Limit] | None:
    """The subject of `a operator b` and the limits it must lie between, when one side is a plain number."""
    left, right = _number(a), _number(b)
    if (left is None) == (right is None) or operator == "!=":
        return None
    if left is not None:
        flipped = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "=="}[operator]
        return _limit(b, flipped, a)
    assert right is not None
    found = _Limit(right, operator in ("<", ">"))
    if operator == "==":
        return a, found, found
    return (a, _LOWEST, found) if operator in ("<", "<=") else (a, found, _HIGHEST)


def _bounds(node: Expression, meanings: Mapping[str, Expression]) -> tuple[_Limit, _Limit]:
    found = resolved(node, meanings)
    if isinstance(found, Call) and found.name in FUNCTIONS:
        bounded = FUNCTIONS[found.name].bounded
        if bounded:
            return _Limit(bounded[0]), _Limit(bounded[1])
    return _LOWEST, _HIGHEST


def resolved(node: Expression, meanings: Mapping[str, Expression]) -> Expression:
    """What a name stands for, followed through names of names."""
    while isinstance(node, Name) and node.name in meanings:
        node = meanings[node.name]
    return node


def _beyond_its_own_band(part: Expression, meanings: Mapping[str, Expression]) -> Diagnostic | None:
    """`high > highest(high, n)` and the like: the window holds this very bar."""
    if isinstance(part, Crossing) and part.kind in ("above", "below"):
        a, b, above = part.a, part.b, part.kind == "above"
    elif isinstance(part, Comparison) and len(part.operators) == 1 and part.operators[0] in ("<", ">"):
        a, b, above = part.operands[0], part.operands[1], part.operators[0] == ">"
        if isinstance(resolved(a, meanings), Call):
            a, b, above = b, a, not above
    else:
        return None
    price, band = resolved(a, meanings), resolved(b, meanings)
    wanted, edge = ("highest", "high") if above else ("lowest", "low")
    if not (isinstance(price, Name) and price.name in _ABOVE and isinstance(band, Call) and band.name == wanted):
        return None
    source = resolved(band.arguments[0].value, meanings) if band.arguments else None
    if not (isinstance(source, Name) and source.name in (edge, price.name)):
        return None
    return Diagnostic(
        "S0401",
        f"this can never be yes: `{wanted}` includes this bar, so `{price.name}` cannot go beyond it",
        part.span,
        None,
        f"Compare with the bars before: `prior({wanted}(…))`.",
    )
