"""How many bars each part of an entry rule lets through, one after the other."""

from dataclasses import dataclass

import numpy as np

from skelb.core.catalogue import YES
from skelb.core.engine import Outcome
from skelb.core.language import Checked
from skelb.core.language.tools import written
from skelb.core.language.tree import Expression, Logic, Name, Side


@dataclass(frozen=True, slots=True)
class Passed:
    """A part of a condition as written, and the bars on which it and all parts before it were yes."""

    text: str
    left: int


@dataclass(frozen=True, slots=True)
class Sieve:
    """An entry rule's parts in the order of the text with the bars left after each; `bars` is how many there were.

    A rule that asks for the position has no parts that could be counted.
    """

    rule: str
    side: Side
    bars: int
    passed: tuple[Passed, ...]


def sieves_of(checked: Checked, outcome: Outcome) -> list[Sieve]:
    """A sieve for every entry rule, over the bars of the run."""
    plan, span = outcome.plan, slice(outcome.first, outcome.last + 1)
    found = []
    for rule in plan.entries:
        assert rule.side is not None  # every entry has one
        passed: list[Passed] = []
        left = np.ones(outcome.last - outcome.first + 1, np.bool_)
        for part in _parts(rule.when, checked) if not checked.is_of_position(rule.when) else ():
            values = np.broadcast_to(plan.expressions.whole(part), len(plan.dataset))[span]
            left &= values == YES
            passed.append(Passed(written(part), int(np.count_nonzero(left))))
        found.append(Sieve(rule.name, rule.side, left.size, tuple(passed)))
    return found


def _parts(node: Expression, checked: Checked) -> list[Expression]:
    """What `and` joins, names of such conditions opened; a name lets no fewer bars through the second time."""
    found: list[Expression] = []
    opened: set[str] = set()
    waiting = [node]
    while waiting:
        part = waiting.pop()
        meant: Expression = part
        if isinstance(part, Name) and part.name in checked.definitions:
            if part.name in opened:
                continue
            opened.add(part.name)
            meant = checked.definitions[part.name].value
        if isinstance(meant, Logic) and meant.operator == "and":
            waiting.extend(reversed(meant.parts))
        else:
            found.append(part)
    return found
