"""Two to four kept runs beside each other."""

from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

from skelb.core.errors import SettingsError
from skelb.core.export import evenly
from skelb.core.figures import Figures, record_together
from skelb.core.report import Difference, Month, Traded, difference_of, months_of, traded
from skelb.service.changes import changes_in_words
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.runs import KeptRuns
from skelb.service.setup import Setup

MOST = 4
_MOST_POINTS = 400


@dataclass(frozen=True, slots=True)
class ComparedRun:
    """One of the runs: its figures, equity in money at `times` (seconds since 1970 UTC), months; `change` from the
    oldest of them, in words, and why the two cannot be held against each other as they are."""

    number: int
    title: str
    setup: Setup
    change: str
    not_alike: list[str]
    figures: dict[str, Figures]
    capital: float
    times: list[int]
    equity: list[float]
    months: list[Month]


@dataclass(frozen=True, slots=True)
class TextLine:
    """A line of two texts: in both, or in one; its number there, from 1."""

    kind: Literal["both", "before", "after"]
    number: int
    text: str


@dataclass(frozen=True, slots=True)
class RunDifference:
    """A run beside the oldest of those compared: text, and trades."""

    number: int
    lines: list[TextLine]
    trades: Difference


@dataclass(frozen=True, slots=True)
class Compared:
    """Runs beside each other, newest first, and each of them against the oldest."""

    runs: list[ComparedRun]
    differences: list[RunDifference]


def compared(numbers: Sequence[int], alike: bool, runs: KeptRuns, library: Library, datasets: Datasets) -> Compared:
    """Kept runs made again and compared. With `alike` all have the days, account, costs and descriptions of the oldest.

    Raises NotFoundError when one of them is not there, SettingsError when they are not two to four, SkelbError when one
    cannot be run.
    """
    wanted = sorted(set(numbers), reverse=True)
    if not 2 <= len(wanted) <= MOST:
        raise SettingsError(f"two to {MOST} runs are compared")
    setups = [runs.run(number).setup for number in wanted]
    oldest = setups[-1]
    if alike:
        setups = [_like(setup, oldest) for setup in setups]
    found: list[ComparedRun] = []
    tables: list[Traded] = []
    for number, setup in zip(wanted, setups, strict=True):
        prepared = setup.prepared(library, datasets).sound()
        outcomes, figures, _ = prepared.judged()
        record, trades = record_together(outcomes), traded(outcomes)
        shown = evenly(record.equity.size, _MOST_POINTS)
        tables.append(trades)
        found.append(
            ComparedRun(
                number=number,
                title=prepared.checked.title,
                setup=setup,
                change=changes_in_words(oldest, setup) if number != wanted[-1] else "",
                not_alike=_not_alike(oldest, setup),
                figures=figures,
                capital=record.capital,
                times=record.closes[shown].tolist(),
                equity=record.equity[shown].tolist(),
                months=months_of(record, trades),
            )
        )
    differences = [
        RunDifference(run.number, lines_of(oldest.text, run.setup.text), difference_of(tables[-1], table))
        for run, table in zip(found[:-1], tables[:-1], strict=True)
    ]
    return Compared(found, differences)


def lines_of(before: str, after: str) -> list[TextLine]:
    """Two texts as one: what is in both once, what was there before what is there now."""
    old, new = before.splitlines(), after.splitlines()
    found: list[TextLine] = []
    for kind, begin, end, start, stop in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if kind == "equal":
            found += [TextLine("both", at + 1, new[at]) for at in range(start, stop)]
        else:
            found += [TextLine("before", at + 1, old[at]) for at in range(begin, end)]
            found += [TextLine("after", at + 1, new[at]) for at in range(start, stop)]
    return found


def _like(setup: Setup, other: Setup) -> Setup:
    names = ("from_date", "to_date", "account", "terms", "costs")
    changed = {name: getattr(other, name) for name in names}
    if setup.market == other.market and not setup.basket and not other.basket:
        changed["described"] = other.described
    return setup.model_copy(update=changed)


def _not_alike(oldest: Setup, setup: Setup) -> list[str]:
    """Why two runs cannot be held against each other, in words."""
    found = []
    if (oldest.market, oldest.basket) != (setup.market, setup.basket):
        found.append("other markets")
    elif oldest.described != setup.described:
        found.append("another description of the market")
    if (oldest.from_date, oldest.to_date) != (setup.from_date, setup.to_date):
        found.append("other days")
    if oldest.terms != setup.terms:
        found.append("another account")
    if oldest.costs != setup.costs:
        found.append("other costs")
    if _sizes(oldest) != _sizes(setup):
        found.append("another size")
    return found


def _sizes(setup: Setup) -> list[str]:
    lines = (" ".join(line.split()) for line in setup.text.splitlines())
    return [line for line in lines if line.startswith("size ")]
