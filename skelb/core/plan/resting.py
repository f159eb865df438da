"""Orders that rest at a price: their rules, signals, prices and sizes, laid out for the engine."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.errors import SettingsError
from skelb.core.language.tree import Enter, Expression


@dataclass(frozen=True, eq=False)
class Resting:
    """The rules whose orders rest; n bars, r rules.

    rules : int64, shape (r, 4): number of the entry rule, side (1, -1), 1 for a stop and 0 for a limit, life in bars
    signals : uint8, shape (r, n): 1 where the rule is yes and its side's exit rules are not
    rows : float64, shape (3, r, n): price, size, most units
    """

    rules: NDArray[np.int64]
    signals: NDArray[np.uint8]
    rows: Floats


def resting_orders(
    entries: Sequence[Enter],
    size: int,
    signal: Callable[[Enter], NDArray[np.uint8]],
    number: Callable[[Expression], Floats],
    constant: Callable[[Expression], float],
    sizes: Sequence[tuple[Floats, Floats]],
) -> Resting:
    """The resting orders among the entry rules; `sizes` are each rule's amount and most units.

    Raises SettingsError on a life that is no whole number of bars from 1.
    """
    found = [(index, rule) for index, rule in enumerate(entries) if rule.order.form in ("limit", "stop")]
    rules = np.zeros((len(found), 4), np.int64)
    signals = np.zeros((len(found), size), np.uint8)
    rows = np.empty((3, len(found), size))
    for row, (index, rule) in enumerate(found):
        life = 1.0 if rule.order.bars is None else constant(rule.order.bars)
        if not (life >= 1 and life == int(life)):
            raise SettingsError(f"an order rests for a whole number of bars from 1; with these inputs it is {life:g}")
        rules[row] = index, 1 if rule.side == "long" else -1, rule.order.form == "stop", int(life)
        signals[row] = signal(rule)
        assert rule.order.price is not None
        rows[0, row] = number(rule.order.price)
        rows[1, row], rows[2, row] = sizes[index]
    return Resting(rules, signals, rows)
