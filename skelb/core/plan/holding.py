"""What holds entries back or ends positions by count: limits, pauses, time exits."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats
from skelb.core.errors import SettingsError
from skelb.core.language.tree import ExitAfter, Expression, Limit, Pause, Side
from skelb.core.plan.columns import Held

_LIMITS = {"entries": Held.ENTRIES, "losses": Held.LOSSES, "loss": Held.LOSS}
_PAUSES = {"stop": Held.AFTER_STOP, "loss": Held.AFTER_LOSS, "exit": Held.AFTER_EXIT}
MOST_LOTS = 1_000
_MOST = 1_000_000_000
"""The highest count of bars, days, entries or losses: beyond any history, and within the kernel's whole numbers."""
Constant = Callable[[Expression], float]


@dataclass(frozen=True)
class TimeExits:
    """After how many bars or trading days positions of a side end, at the open after or at the close; 0 for never."""

    bars: int = 0
    close_bars: int = 0
    days: int = 0
    close_days: int = 0


def time_exits(rules: Sequence[ExitAfter], side: Side, constant: Constant) -> TimeExits:
    """The soonest time exits of a side. Raises SettingsError on a count that is not whole or below 1."""
    found: dict[str, list[int]] = {"bars": [], "close_bars": [], "days": [], "close_days": []}
    for rule in rules:
        if rule.side in (None, side):
            key = f"{'close_' if rule.at_close else ''}{rule.unit}"
            found[key].append(_whole(constant(rule.count), 1, f"`exit after` needs a whole number of {rule.unit}"))
    return TimeExits(**{key: min(counts, default=0) for key, counts in found.items()})


def limits_of(limits: Sequence[Limit], pauses: Sequence[Pause], constant: Constant) -> Floats:
    """The places of `Held`, shape (6,): infinite limits and pauses of 0 where no rule says otherwise.

    Raises SettingsError on counts that cannot be.
    """
    found = np.array([np.inf, np.inf, np.inf, 0.0, 0.0, 0.0])
    for rule in limits:
        value = constant(rule.amount)
        if rule.kind == "open":
            continue
        if not value > 0 and rule.kind == "loss":
            raise SettingsError(f"`limit loss` needs a percent above 0; with these inputs it is {value:g}")
        if rule.kind != "loss":
            value = _whole(value, 0, f"`limit … {rule.kind} per day` needs a whole number")
        found[_LIMITS[rule.kind]] = min(found[_LIMITS[rule.kind]], value)
    for pause in pauses:
        bars = _whole(constant(pause.bars), 0, "`pause` needs a whole number of bars")
        found[_PAUSES[pause.after]] = max(found[_PAUSES[pause.after]], bars)
    return found


def room_of(limits: Sequence[Limit], constant: Constant) -> int:
    """How many lots may be open in a market at once. Raises SettingsError on a count that cannot be."""
    room = 1
    for rule in limits:
        if rule.kind == "open":
            room = _whole(constant(rule.amount), 1, "`limit … open` needs a whole number")
            if room > MOST_LOTS:
                raise SettingsError(f"`limit {room} open` is more than the {MOST_LOTS} lots that this engine keeps")
    return room


def holds_back(limits: Floats) -> bool:
    """Whether any limit or pause is in force."""
    return bool(np.isfinite(limits[:3]).any() or limits[3:].any())


def _whole(value: float, least: int, what: str) -> int:
    if not (least <= value <= _MOST and value == int(value)):
        raise SettingsError(f"{what} from {least} to {_MOST:,}; with these inputs it is {value:g}")
    return int(value)
