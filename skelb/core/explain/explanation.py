"""What is said about one bar of a run."""

from dataclasses import dataclass

from skelb.core.engine.replay import Replayed
from skelb.core.explain.reading import ConditionPart


@dataclass(frozen=True)
class RuleReading:
    """A rule on the bar: `kind` enter or exit, its condition's parts, and in a sentence what it did.

    `start` is where its statement begins in the script.
    """

    kind: str
    side: str | None
    name: str
    start: int
    condition: ConditionPart
    did: str


@dataclass(frozen=True, eq=False)
class Explanation:
    """A bar explained. `happened`: sentences on what filled and what was stopped, in order; `waiting`: what is to come.

    `moment` has the position, its lots and levels before and after.
    """

    bar: int
    moment: Replayed
    rules: tuple[RuleReading, ...]
    happened: tuple[str, ...]
    waiting: tuple[str, ...]
