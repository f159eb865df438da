"""A run gone through again, to be looked at on any bar."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.catalogue import POSITION_NAMES
from skelb.core.engine.account import Account
from skelb.core.engine.ledger import Rows
from skelb.core.engine.run import Simulation, Table
from skelb.core.engine.words import Moment, Reason
from skelb.core.plan import Plan

_FLAT = {"position": 0.0, "open_lots": 0.0}
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
    """One market's run that can be asked about any of its bars; not for use from several threads at once.

    together : the plans of all markets on the account in the order they are run, this market's among them; empty where
        it is alone
    """

    def __init__(self, plan: Plan, account: Account, together: Sequence[Plan] = ()) -> None:
        self.plan = plan
        plans = list(together) or [plan]
        self._place = next(k for k, own in enumerate(plans) if own is plan)
        self._simulation = Simulation(plans, account)
        self._opens = _openings(plans) if len(plans) > 1 else None
        self._kept: list[tuple[int, Table]] = [(self._simulation.first, self._simulation.state())]

    def at(self, bar: int) -> Replayed:
        """What happened on a bar of the run's dates. Raises IndexError for another."""
        if not self.plan.first <= bar <= self.plan.last:
            raise IndexError(f"bar {bar} is not one of the run")
        moment = self._moment(bar)
        self._go_to(moment)
        before = self._simulation.state()
        asks = len(self.plan.rules.programs.table) > 0
        known = self._known(before, moment) if asks else ({}, {})
        self._simulation.advance(moment + 1)
        memory, offset = self._simulation.memory, self._offset
        account, market = memory.tables["account"][0], memory.tables["markets"][self._place]
        was, was_market = memory.of(before, "account")[0], memory.of(before, "markets")[self._place]
        reason, entries = int(market["exit_due"]), len(self.plan.entries)
        waits = self._mine(memory.tables["orders"])["waits"]
        partial = tuple(int(x) for x in np.flatnonzero(waits[entries::2]))
        trades = self._trades(was["trades"], account["trades"])
        if asks and not (was_market["lots"] or market["lots"] or trades.size):
            known = _FLAT, _FLAT  # nothing was asked
        return Replayed(
            bar,
            _lots(was_market, self._mine(memory.of(before, "lots")), offset),
            int(was_market["side"]),
            _lots(market, self._mine(memory.tables["lots"]), offset),
            int(market["side"]),
            trades,
            self._skips(was["skips"], account["skips"]),
            tuple(int(e) for e in np.flatnonzero(waits[:entries] == bar + offset)),
            (int(market["exit_rule"]), *partial) if reason >= 0 else partial,
            Reason(reason) if reason >= 0 else None,
            self._resting(),
            bool(account["is_ruined"]),
            *known,
        )

    def levels(self, first: int, last: int) -> Iterator[tuple[int, int, tuple[Lot, ...]]]:
        """Bar, side and the lots with the levels in force on it, for every bar from `first` to `last` with an open lot.

        A lot that is entered on a bar has its first levels there. Raises IndexError for bars not of the run's dates.
        """
        if not self.plan.first <= first <= last <= self.plan.last:
            raise IndexError(f"bars {first} to {last} are not all of the run")
        self._go_to(self._moment(first))
        tables = self._simulation.memory.tables
        market, held = tables["markets"][self._place], self._mine(tables["lots"])
        side, lots = int(market["side"]), _lots(market, held, self._offset)
        for bar in range(first, last + 1):
            self._simulation.advance(self._moment(bar) + 1)
            later, now = int(market["side"]), _lots(market, held, self._offset)
            entered = tuple(lot for lot in now if lot.entry_bar == bar)
            if lots and (side == later or not entered):
                yield bar, side, (*lots, *entered)
            elif entered:
                yield bar, later, entered
            side, lots = later, now

    # --- inside ------------------------------------------------------------------------------------------------------

    @property
    def _offset(self) -> int:
        """Where this market's bars begin among those of all."""
        return int(self._simulation.offsets[self._place])

    def _moment(self, bar: int) -> int:
        """The moment of the run at which a bar opens."""
        return bar if self._opens is None else int(np.searchsorted(self._opens, self.plan.dataset.bars.time[bar]))

    def _mine(self, table: Table) -> Table:
        """This market's part of a table that has as many rows for each."""
        size = len(table) // len(self._simulation.plans)
        return table[self._place * size : (self._place + 1) * size]

    def _trades(self, first: int, end: int) -> Rows:
        rows = self._simulation.series.trades[first:end]
        found = rows[rows["market"] == self._place]
        found["entry_bar"] -= self._offset
        found["exit_bar"] -= self._offset
        return found

    def _skips(self, first: int, end: int) -> Rows:
        rows, offset = self._simulation.series.skips[first:end], self._offset
        found = rows[(rows["bar"] >= offset) & (rows["bar"] < self._simulation.offsets[self._place + 1])]
        found["bar"] -= offset
        return found

    def _known(self, before: Table, moment: int) -> tuple[dict[str, float], dict[str, float]]:
        """What exits and entries know of the position at a moment; the run is left before it.

        Every market's rules write over what those of the markets before knew: here no others are asked.
        """
        simulation, markets = self._simulation, self._simulation.memory.tables["markets"]
        if self._opens is not None:
            for k, plan in enumerate(simulation.plans):
                if k != self._place:  # at its last bar a market's rules are not asked
                    bar = int(np.searchsorted(plan.dataset.bars.time, self._opens[moment], side="right")) - 1
                    markets["last"][k] = min(int(markets["last"][k]), bar + int(simulation.offsets[k]))
        simulation.advance(moment + 1)
        found = _named(simulation.series.known), _named(simulation.series.registers)
        simulation.restore(before)
        return found

    def _go_to(self, moment: int) -> None:
        """Bring the run to before a moment, from the nearest state that is kept."""
        at, state = max((kept for kept in self._kept if kept[0] <= moment), key=lambda kept: kept[0])
        self._simulation.restore(state)
        while at + _STRIDE <= moment:
            at = self._simulation.advance(at + _STRIDE)
            if at > self._kept[-1][0]:
                self._kept.append((at, self._simulation.state()))
        self._simulation.advance(moment)

    def _resting(self) -> tuple[Waiting, ...]:
        orders, entries, found = self._mine(self._simulation.memory.tables["orders"]), len(self.plan.entries), []
        for number in np.flatnonzero(orders["is_on"]):
            order = orders[number]
            rule, is_exit = (int(number), False) if number < entries else (int(number - entries) // 2, True)
            until, bar = int(order["until"]) - self._offset, int(order["bar"]) - self._offset
            found.append(Waiting(rule, is_exit, float(order["price"]), until, bar, bool(order["closes_only"])))
        return tuple(found)


def _openings(plans: Sequence[Plan]) -> Ints:
    """When each moment of several markets' run opens."""
    return np.unique(np.concatenate([plan.dataset.bars.time[plan.first : plan.last + 1] for plan in plans]))


def _named(values: Floats) -> dict[str, float]:
    named = zip(POSITION_NAMES, values[: len(POSITION_NAMES)], strict=True)
    return {name: float(value) for name, value in named if value == value}


def _lots(market: Any, lots: Table, offset: int) -> tuple[Lot, ...]:
    return tuple(
        Lot(
            int(lot["rule"]),
            int(lot["bar"]) - offset,
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
