"""The rules of a checked script to arrays the engine runs on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.errors import SettingsError
from skelb.core.language import Checked
from skelb.core.language.tree import ExitAfter, Limit, Opposite, Pause
from skelb.core.plan.columns import RATE_COLUMN, OppositeMode
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.expressions import Expressions, InputValue
from skelb.core.plan.holding import TimeExits, limits_of, room_of, time_exits
from skelb.core.plan.hours import Hours, hours_of
from skelb.core.plan.levels import Levels, lay_levels
from skelb.core.plan.memo import Value
from skelb.core.plan.signals import NamedRule, Signals, entry_rules, exit_rules, lay_signals, raised
from skelb.core.plan.terms import Formula, Terms
from skelb.core.plan.watching import Programs
from skelb.core.stopping import part_of_work

_MOST_RULES = 64


@dataclass(frozen=True, eq=False)
class Rules:
    """What the rules in force come to, but for when their conditions hold and what their amounts are.

    room : how many lots may be open at once
    """

    hours: Hours
    signals: Signals
    levels: Levels
    programs: Programs
    opposite: OppositeMode
    time_exits: tuple[TimeExits, TimeExits]
    limits: Floats
    room: int
    inverted: bool


@dataclass(frozen=True, eq=False)
class Plan:
    """Everything the engine needs to run, account apart. n is the number of bars of the dataset.

    flags : uint8, shape (n,), bits of `Flag`
    rows : uint8, shape (s, n): 1 where a rule is yes that no flag says all about
    columns : values of `rules.levels.columns`, float64, shape (n,), or (1,) where constant
    inputs : values of `rules.programs.inputs`, shape (n,) or (1,)
    rules : the rest; runs that differ in conditions and amounts alone have the same
    """

    dataset: Dataset
    expressions: Expressions
    first: int
    last: int
    flags: NDArray[np.uint8]
    rows: NDArray[np.uint8]
    columns: tuple[Floats, ...]
    inputs: tuple[Value, ...]
    rules: Rules

    @property
    def entries(self) -> tuple[NamedRule, ...]:
        """The entry rules, long ones first, each in text order."""
        return self.rules.signals.entry_names

    @property
    def exits(self) -> tuple[NamedRule, ...]:
        """The exit rules in text order."""
        return self.rules.signals.exit_names


def make_plan(
    checked: Checked,
    dataset: Dataset,
    inputs: Mapping[str, InputValue],
    sides: str = "both",
    from_date: date | None = None,
    to_date: date | None = None,
    inverted: bool = False,
) -> Plan:
    """The plan of a sound script with every input's value, for the trading days from the first to the last date.

    `inverted` exchanges the sides of all rules and mirrors levels at a price about the fill, for a test.
    Raises SettingsError when inputs make a length impossible, or no trading day lies between the dates.
    """
    first, last = _span(dataset, from_date, to_date)
    expressions = Expressions(checked, inputs, dataset)
    rules = rules_of(checked, dataset, expressions, sides, inverted)
    with part_of_work(0.0, 0.3):
        columns = tuple(value_of(formula, expressions) for formula in rules.levels.columns)
        asked = tuple(expressions.of(node) for node in rules.programs.inputs)
    _refuse_unknown_rate(columns[RATE_COLUMN], dataset, first, last)
    with part_of_work(0.3, 1.0):
        flags, rows = raised(rules.signals.raised, expressions, len(dataset))
    flags |= rules.hours.flags
    return Plan(dataset, expressions, first, last, flags, rows, columns, asked, rules)


def value_of(formula: Formula, expressions: Expressions) -> Floats:
    """The values of a level column, float64, shape (n,) or (1,)."""
    return formula if isinstance(formula, np.ndarray) else expressions.of(formula)


def rules_of(checked: Checked, dataset: Dataset, expressions: Expressions, sides: str, inverted: bool) -> Rules:
    """The rules laid out, or as they were for a run with the same values of the inputs that they stand on.

    Raises SettingsError as `make_plan` does.
    """
    held = dataset.shared(checked).rules
    key = sides, inverted, *(expressions.inputs[name] for name in checked.rules_stand_on)
    found: Rules | None = held.get(key)
    if found is None:
        found = _laid_out(Terms(checked, dataset, expressions, sides, inverted))
        for old in list(held)[: len(held) - _MOST_RULES + 1]:
            held.pop(old, None)
        held[key] = found
    return found


def _laid_out(terms: Terms) -> Rules:
    levels = lay_levels(terms, [rule for _, rule in entry_rules(terms)], len(exit_rules(terms)))
    signals = lay_signals(terms, levels)
    constant = terms.expressions.constant
    time_rules: Sequence[ExitAfter] = terms.of_kind(ExitAfter)
    modes = [OppositeMode[rule.mode.upper()] for rule in terms.of_kind(Opposite)]
    return Rules(
        hours_of(terms),
        signals,
        levels,
        terms.watching.programs(),
        modes[-1] if modes else OppositeMode.REVERSE,
        (time_exits(time_rules, "long", constant), time_exits(time_rules, "short", constant)),
        limits_of(terms.of_kind(Limit), terms.of_kind(Pause), constant),
        room_of(terms.of_kind(Limit), constant),
        terms.inverted,
    )


def _span(dataset: Dataset, from_date: date | None, to_date: date | None) -> tuple[int, int]:
    day = dataset.calendar.day
    epoch = date(1970, 1, 1)
    first = 0 if from_date is None else int(np.searchsorted(day, (from_date - epoch).days, "left"))
    end = len(dataset) if to_date is None else int(np.searchsorted(day, (to_date - epoch).days, "right"))
    if end <= first:
        raise SettingsError(
            f"{dataset.market.symbol} has no bars from {from_date or 'its start'} to {to_date or 'its end'}"
        )
    return first, end - 1


def _refuse_unknown_rate(rate: Floats, dataset: Dataset, first: int, last: int) -> None:
    if rate.size > 1 and not (rate[first : last + 1] > 0).all():
        raise SettingsError(
            f"the currency rate of {dataset.market.symbol}, the close of {dataset.market.currency_rate}, is not known on "  # noqa: E501
            "every bar of the run: begin later, or give bars that reach as far back"
        )
