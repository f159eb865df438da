"""Stops, targets, sizes and costs to the columns that the engine reads at the close that judged an entry."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.catalogue import raw_spread
from skelb.core.errors import SettingsError
from skelb.core.language.tree import (
    Argument,
    Breakeven,
    Call,
    Enter,
    Expression,
    Protect,
    Side,
    Size,
    Trail,
)
from skelb.core.plan.columns import (
    COLUMNS_PER_SIDE,
    NIGHTS_COLUMN,
    RATE_COLUMN,
    RULE_COLUMNS,
    SPREAD_COLUMN,
    Column,
    DistanceUnit,
    RuleColumn,
    SizeForm,
)
from skelb.core.plan.moving import lay_moving_levels, no_units
from skelb.core.plan.terms import NOWHERE, SIDE_BITS, SIDES, Formula, Terms

_FORMS = {"units": SizeForm.UNITS, "cash": SizeForm.CASH, "percent": SizeForm.PERCENT,
          "risk_percent": SizeForm.RISK_PERCENT, "risk_cash": SizeForm.RISK_CASH}  # fmt: skip
_PART_UNITS = {"percent": DistanceUnit.PERCENT, "R": DistanceUnit.R, "at": DistanceUnit.AT}


@dataclass(frozen=True, eq=False)
class Levels:
    """The columns, and what the numbers in them mean; e entry rules, x exit rules, p targets of parts.

    columns : RULE_COLUMNS + 3 e + x + p, what stands in each
    moving_units : int64, shape (2, 5), `DistanceUnit` of the moving levels of each side
    parts : int64, shape (p, 2): sides (1 long, 2 short, 3 both), `DistanceUnit`
    part_shares : float64, shape (p,): percent of a lot's first units
    """

    columns: list[Formula]
    moving_units: NDArray[np.int64]
    parts: NDArray[np.int64]
    part_shares: Floats
    is_moving: bool

    def price_of_entry(self, entry: int) -> int:
        """The column of the price of an entry rule's order."""
        return RULE_COLUMNS + len(RuleColumn) * entry + RuleColumn.PRICE

    def price_of_exit(self, exit_rule: int, entries: int) -> int:
        """The column of the price of an exit rule's order, after those of all entry rules."""
        return self.price_of_entry(entries) - RuleColumn.PRICE + exit_rule


def lay_levels(terms: Terms, entries: Sequence[Enter], exits: int) -> Levels:
    """The levels of all rules; prices of orders that rest are left to fill in.

    Raises SettingsError on what cannot be in force together or on this market.
    """
    parted = [(rule, mask) for rule, mask in _targets_in_force(terms) if rule.part is not None]
    count = RULE_COLUMNS + len(RuleColumn) * len(entries) + exits + len(parted)
    columns: list[Formula] = [np.array([np.inf])] * count
    units = no_units()
    moving: list[Trail | Breakeven] = [*terms.of_kind(Trail), *terms.of_kind(Breakeven)]
    for offset, side in zip((0, COLUMNS_PER_SIDE), SIDES, strict=True):
        _lay_protection(terms, columns, offset, side)
        lay_moving_levels(columns, offset, units, side, moving, terms)
    spread = raw_spread(terms.dataset.frame)
    columns[SPREAD_COLUMN] = spread * terms.market.tick if terms.market.spread_unit == "ticks" else spread
    columns[NIGHTS_COLUMN] = _nights(terms)
    columns[RATE_COLUMN] = terms.rate
    for index, rule in enumerate(entries):
        at = RULE_COLUMNS + len(RuleColumn) * index
        columns[at + RuleColumn.SIZE], columns[at + RuleColumn.MOST] = _size(terms, rule)
    for index, (target, _) in enumerate(parted):
        columns[len(columns) - len(parted) + index] = terms.amount(target.distance)
    return Levels(
        columns,
        units,
        np.array(
            [(mask, _PART_UNITS.get(rule.distance.unit, DistanceUnit.PRICE)) for rule, mask in parted], np.int64
        ).reshape(-1, 2),
        np.array([_share(terms, rule.part) for rule, _ in parted], np.float64),
        bool(moving),
    )


def size_form(terms: Terms, rule: Enter) -> SizeForm:
    """What the number of a rule's size means."""
    size = _size_statement(terms, rule)
    return SizeForm.PERCENT if size is None else _FORMS[size.form]


def share_of(terms: Terms, part: Expression | None) -> float:
    """The percent that `take` says, 100 without. Raises SettingsError when it cannot be."""
    return 100.0 if part is None else _share(terms, part)


def _share(terms: Terms, part: Expression | None) -> float:
    assert part is not None
    share = terms.expressions.constant(part)
    if not 0.0 < share <= 100.0:
        raise SettingsError(f"a part is more than 0% and at most 100%; with these inputs it is {share:g}%")
    return share


def _size_statement(terms: Terms, rule: Enter) -> Size | None:
    common = terms.of_kind(Size)
    return rule.size or (common[-1] if common else None)


def _size(terms: Terms, rule: Enter) -> tuple[Formula, Formula]:
    """A rule's size in its own form, and the most units."""
    size = _size_statement(terms, rule)
    amount = np.array([100.0]) if size is None else size.amount
    most = None if size is None else size.most
    return amount, np.array([np.inf]) if most is None else most


def _targets_in_force(terms: Terms) -> list[tuple[Protect, int]]:
    """Every target and the sides it is in force for: a sided one replaces unsided ones."""
    targets = [rule for rule in terms.of_kind(Protect) if rule.kind == "target"]
    sided = {side for rule in targets for side in SIDES if rule.side == side}
    found = []
    for rule in targets:
        mask = SIDE_BITS[rule.side] if rule.side else sum(SIDE_BITS[side] for side in SIDES if side not in sided)
        if mask:
            found.append((rule, mask))
    return found


def _lay_protection(terms: Terms, columns: list[Formula], offset: int, side: Side) -> None:
    """The distances and prices of a side's stops and whole targets; a sided rule replaces an unsided one."""
    for kind in ("stop", "target"):
        rules = [rule for rule in terms.of_kind(Protect) if rule.kind == kind and rule.side in (None, side)]
        sided = [rule for rule in rules if rule.side == side]
        nearer_high = ((kind == "stop") == (side == "long")) != terms.inverted  # prices are mirrored at the fill
        at = offset + (Column.STOP_AT if kind == "stop" else Column.TARGET_AT)
        columns[at] = np.array([-np.inf if nearer_high else np.inf])
        for rule in sided or rules:
            if rule.part is not None:
                continue
            value, unit = terms.amount(rule.distance), rule.distance.unit
            if unit == "at":
                columns[at] = _joined(columns[at], value, "max" if nearer_high else "min")
                continue
            slot = offset + _slot(kind, unit)
            columns[slot] = _joined(columns[slot], value, "min")


def _slot(kind: str, unit: str) -> int:
    if kind == "stop":
        return Column.STOP_PERCENT if unit == "percent" else Column.STOP_PRICE
    return {"percent": Column.TARGET_PERCENT, "R": Column.TARGET_R}.get(unit, Column.TARGET_PRICE)


def _joined(held: Formula, value: Expression, join: str) -> Expression:
    """Several levels of one unit are one: the nearest counts. A held array stands for none yet."""
    if isinstance(held, np.ndarray):
        return value
    return Call(join, NOWHERE, (Argument(None, held), Argument(None, value)), NOWHERE)


def _nights(terms: Terms) -> Floats:
    """Nights of financing due at each open that begins a trading day: 1, or 3 after the market's triple day."""
    triple = terms.market.triple_day
    if not (terms.market.financing_long or terms.market.financing_short) or triple is None:
        return np.ones(1)
    weekday = terms.calendar.weekday
    before = np.concatenate((weekday[:1], weekday[:-1]))
    days = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
    return np.where(before == days.index(triple), 3.0, 1.0)
