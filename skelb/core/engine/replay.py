"""A run gone through again, to be looked at on any bar."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from skelb.core.bars import Floats
from skelb.core.catalogue import POSITION_NAMES
from skelb.core.engine.account import Account
from skelb.core.engine.ledger import Rows
from skelb.core.engine.run import Simulation, Table
from skelb.core.engine.words import Moment, Reason
from skelb.core.plan import Plan

_STRIDE = 8_192  # bars between two states that are kept


@dataclass(frozen=True)
class Lot:
    """An open lot. Prices; `stop` and `target` are those in force, None without; `stop_kind` as a trade's exit reason.

    `entry_bar` is the bar whose extremes are the first that count: for a fill at a close, the one after it.
    """

    rule: int
    entry_bar: int
    moment: Moment
    units: float
    price: float
    mid: float
    stop: float | None
    stop_kind: Reason
    target: float | None


@dataclass(frozen=True)
class Waiting:
    """An order that rests: its rule, whether that is an exit, the price, the last bar it lives for, the bar it was
    given on, whether it is an entry that may only close the position."""

    rule: int
    is_exit: bool
    price: float
    until: int
    bar: int
    closes_only: bool


@dataclass(frozen=True, eq=False)
class Replayed:
    """What a run did on one bar, and how it stood at its close after the rules.

    side_before, lots_before : the position at the open, before anything happened
    trades, skips : the rows of the ledger that this bar wrote
    known_to_exits, known_to_entries : values of the position's names as those rules saw them, unknown ones left out;
        empty where no rule asks for the position
    due : rules, and -1 with `due_reason` for all others, whose exits wait for the next open; entering : entry rules
    """

    bar: int
    lots_before: tuple[Lot, ...]
    side_before: int
    lots: tuple[Lot, ...]
    side: int
    trades: Rows
    skips: Rows
    entering: tuple[int, ...]
    due: tuple[int, ...]
    due_reason: Reason | None
    resting: tuple[Waiting, ...]
    is_ruined: bool
    known_to_exits: dict[str, float]
    known_to_entries: dict[str, float]


class Replay:
    """One market's run that can be asked about any of its bars; not for use from several threads at once."""

    def __init__(self, plan: Plan, account: Account) -> None:
        self.plan = plan
        self._simulation = Simulation([plan], account)
        self._kept: list[tuple[int, Table]] = [(plan.first, self._simulation.state())]

    def at(self, bar: int) -> Replayed:
        """What happened on a bar of the run's dates. Raises IndexError for another."""
        if not self.plan.first <= bar <= self.plan.last:
            raise IndexError(f"bar {bar} is not one of the run")
        self._go_to(bar)
        before = self._simulation.state()
        self._simulation.advance(bar + 1)
        memory, series = self._simulation.memory, self._simulation.series
        account, market = memory.tables["account"][0], memory.tables["markets"][0]
        was, was_market = memory.of(before, "account")[0], memory.of(before, "markets")[0]
        reason, entries = int(market["exit_due"]), len(self.plan.entries)
        waits = memory.tables["orders"]["waits"]
        partial = tuple(int(x) for x in np.flatnonzero(waits[entries::2]))
        return Replayed(
            bar,
            _lots(was_market, memory.of(before, "lots")),
            int(was_market["side"]),
            _lots(market, memory.tables["lots"]),
            int(market["side"]),
            series.trades[was["trades"] : account["trades"]].copy(),
            series.skips[was["skips"] : account["skips"]].copy(),
            tuple(int(e) for e in np.flatnonzero(waits[:entries] == bar)),
            (int(market["exit_rule"]), *partial) if reason >= 0 else partial,
            Reason(reason) if reason >= 0 else None,
            self._resting(),
            bool(account["is_ruined"]),
            self._known(series.known, was, was_market),
            self._known(series.registers, was, was_market),
        )

    def levels(self, first: int, last: int) -> Iterator[tuple[int, int, tuple[Lot, ...]]]:
        """Bar, side and the lots with the levels in force on it, for every bar from `first` to `last` with an open lot.

        A lot that is entered on a bar has its first levels there. Raises IndexError for bars not of the run's dates.
        """
        if not self.plan.first <= first <= last <= self.plan.last:
            raise IndexError(f"bars {first} to {last} are not all of the run")
        self._go_to(first)
        tables = self._simulation.memory.tables
        market, held = tables["markets"], tables["lots"]
        side, lots = int(market["side"][0]), _lots(market[0], held)
        for bar in range(first, last + 1):
            self._simulation.advance(bar + 1)
            later, now = int(market["side"][0]), _lots(market[0], held)
            entered = tuple(lot for lot in now if lot.entry_bar == bar)
            if lots and (side == later or not entered):
                yield bar, side, (*lots, *entered)
            elif entered:
                yield bar, later, entered
            side, lots = later, now

    def _known(self, values: Floats, was: Any, was_market: Any) -> dict[str, float]:
        tables = self._simulation.memory.tables
        if not len(self.plan.rules.programs.table):
            return {}
        entered = tables["account"]["trades"][0] > was["trades"]
        if not (tables["markets"]["lots"][0] or was_market["lots"] or entered):  # flat all the time: nothing was asked
            return {"position": 0.0, "open_lots": 0.0}
        named = zip(POSITION_NAMES, values[: len(POSITION_NAMES)], strict=True)
        return {name: float(value) for name, value in named if value == value}

    def _go_to(self, bar: int) -> None:
        """Bring the run to before a bar, from the nearest state that is kept."""
        moment, state = max((kept for kept in self._kept if kept[0] <= bar), key=lambda kept: kept[0])
        self._simulation.restore(state)
        while moment + _STRIDE <= bar:
            moment = self._simulation.advance(moment + _STRIDE)
            if moment > self._kept[-1][0]:
                self._kept.append((moment, self._simulation.state()))
        self._simulation.advance(bar)

    def _resting(self) -> tuple[Waiting, ...]:
        orders, entries, found = self._simulation.memory.tables["orders"], len(self.plan.entries), []
        for number in np.flatnonzero(orders["is_on"]):
            order = orders[number]
            rule, is_exit = (int(number), False) if number < entries else (int(number - entries) // 2, True)
            until, bar, closes_only = int(order["until"]), int(order["bar"]), bool(order["closes_only"])
            found.append(Waiting(rule, is_exit, float(order["price"]), until, bar, closes_only))
        return tuple(found)


def _lots(market: Any, lots: Table) -> tuple[Lot, ...]:
    return tuple(
        Lot(
            int(lot["rule"]),
            int(lot["bar"]),
            Moment(int(lot["moment"])),
            float(lot["units"]),
            float(lot["price"]),
            float(lot["mid"]),
            float(lot["stop"]) if np.isfinite(lot["stop"]) else None,
            Reason(int(lot["kind"])),
            float(lot["target"]) if np.isfinite(lot["target"]) else None,
        )
        for lot in lots[: market["lots"]]
    )
