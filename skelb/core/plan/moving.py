"""Levels that move: the distances of trailing stops and break-even, and their units."""

from collections.abc import Sequence
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from skelb.core.errors import SettingsError
from skelb.core.language.tree import Breakeven, Distance, Side, Trail
from skelb.core.plan.columns import MOVING, Column, DistanceUnit, Made
from skelb.core.plan.terms import Formula, Terms

M = TypeVar("M", Trail, Breakeven)
_UNITS = {"percent": DistanceUnit.PERCENT, "R": DistanceUnit.R}


def no_units() -> NDArray[np.int64]:
    """Units of the moving levels' columns, one row a side, all in price."""
    return np.zeros((2, len(MOVING)), np.int64)


def lay_moving_levels(
    columns: list[Formula],
    offset: int,
    units: NDArray[np.int64],
    side: Side,
    rules: Sequence[Trail | Breakeven],
    terms: Terms,
) -> None:
    """Write a side's trail and break-even into its columns; a sided rule replaces an unsided one.

    Raises SettingsError when two rules of one kind are in force for a side.
    """
    columns[offset + Column.TRAIL_AT] = np.array([np.nan])
    for column in (Column.TRAIL_ONCE, Column.TRAIL_AT_ONCE, Column.EVEN_PLUS):
        columns[offset + column] = np.array([0.0])

    def lay(column: Column, distance: Distance) -> None:
        columns[offset + column] = terms.amount(distance)
        units[0 if side == "long" else 1, MOVING.index(column)] = _UNITS.get(distance.unit, DistanceUnit.PRICE)

    trails = _in_force([rule for rule in rules if isinstance(rule, Trail) and rule.distance.unit != "at"], side)
    if trails is not None:
        lay(Column.TRAIL, trails.distance)
        if trails.once is not None:
            lay(Column.TRAIL_ONCE, trails.once)
    at = _in_force([rule for rule in rules if isinstance(rule, Trail) and rule.distance.unit == "at"], side)
    if at is not None and terms.asks_position(at.distance.amount):
        terms.watching.add(at.distance.amount, Made.BEFORE_LEVELS, offset + Column.TRAIL_AT)
    elif at is not None:
        columns[offset + Column.TRAIL_AT] = terms.amount(at.distance)
    if at is not None and at.once is not None:
        lay(Column.TRAIL_AT_ONCE, at.once)
    even = _in_force([rule for rule in rules if isinstance(rule, Breakeven)], side)
    if even is not None:
        lay(Column.EVEN_ONCE, even.once)
        if even.plus is not None:
            lay(Column.EVEN_PLUS, even.plus)


def _in_force(rules: Sequence[M], side: Side) -> M | None:
    sided = [rule for rule in rules if rule.side == side]
    found = sided or [rule for rule in rules if rule.side is None]
    if len(found) > 1:
        raise SettingsError(f"two `{type(found[0]).__name__.lower()}` rules are in force for the {side} side: keep one")
    return found[0] if found else None
