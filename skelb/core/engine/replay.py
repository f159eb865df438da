"""A run gone through again, to be looked at on any bar."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.catalogue import POSITION_NAMES
from skelb.core.engine import kernel
from skelb.core.engine.account import Account
from skelb.core.engine.run import Simulation, Table
from skelb.core.plan import Plan

_STRIDE = 8_192  # bars between two states that are kept


@dataclass(frozen=True)
class Lot:
    """An open lot. Prices; `stop` and `target` are those in force, None without; `stop_kind` as a trade's exit reason.

    `entry_bar` is the bar whose extremes are the first that count: for a fill at a close, the one after it.
    """

    rule: int
    entry_bar: int
    moment: int
    units: float
    price: float
    mid: float
    stop: float | None
    stop_kind: int
    target: float | None


@dataclass(frozen=True)
class Waiting:
    """An order that rests: its rule, whether that is an exit, the price, the last bar it lives for, the bar it was
    given on."""

    rule: int
    is_exit: bool
    price: float
    until: int
    bar: int


@dataclass(frozen=True, eq=False)
class Moment:
    """What a run did on one bar, and how it stood at its close after the rules.

    side_before, lots_before : the position at the open, before anything happened
    trades : int64 rows and float64 rows of the ledger that this bar wrote; skips : its skipped orders
    known_to_exits, known_to_entries : values of the position's names as those rules saw them, unknown ones left out;
        empty where no rule asks for the position
    due : rules, and -1 with `due_reason` for all others, whose exits wait for the next open; entering : entry rules
    """

    bar: int
    lots_before: tuple[Lot, ...]
    side_before: int
    lots: tuple[Lot, ...]
    side: int
    trades: NDArray[np.int64]
    numbers: Floats
    skips: NDArray[np.int64]
    entering: tuple[int, ...]
    due: tuple[int, ...]
    due_reason: int | None
    resting: tuple[Waiting, ...]
    is_ruined: bool
    known_to_exits: dict[str, float]
    known_to_entries: dict[str, float]


class Replay:
    """One market's run that can be asked about any of its bars; not for use from several threads at once."""

    def __init__(self, plan: Plan, account: Account) -> None:
        self.plan = plan
        self._simulation = Simulation([plan], account)
        self._kept: list[tuple[int, tuple[Table, Table]]] = [(plan.first, self._simulation.state())]

    def at(self, bar: int) -> Moment:
        """What happened on a bar of the run's dates. Raises IndexError for another."""
        if not self.plan.first <= bar <= self.plan.last:
            raise IndexError(f"bar {bar} is not one of the run")
        self._go_to(bar)
        before = self._simulation.state()
        self._simulation.advance(bar + 1)
        q, series = self._simulation.q, self._simulation.series
        trades = slice(int(before[0][kernel.A_TRADES]), int(q[kernel.A_TRADES]))
        skips = slice(int(before[0][kernel.A_SKIPS]), int(q[kernel.A_SKIPS]))
        base = kernel.HEAD
        waiting, due = base + int(q[kernel.H_WAITING]), base + int(q[kernel.H_DUE])
        reason = int(q[base + kernel.S_EXIT_DUE])
        partial = [x for x in range(int(q[kernel.H_EXITS])) if q[due + x]]
        return Moment(
            bar,
            self._lots(*before),
            int(before[0][base + kernel.S_SIDE]),
            self._lots(q, self._simulation.f),
            int(q[base + kernel.S_SIDE]),
            series.ti[trades].copy(),
            series.tf[trades].copy(),
            series.skips[skips].copy(),
            tuple(e for e in range(int(q[kernel.H_ENTRIES])) if q[waiting + e] == bar),
            (int(q[base + kernel.S_EXIT_RULE]), *partial) if reason >= 0 else tuple(partial),
            reason if reason >= 0 else None,
            self._resting(),
            bool(q[kernel.A_RUINED]),
            self._known(kernel.H_KNOWN, before),
            self._known(kernel.H_REGISTERS, before),
        )

    def levels(self, first: int, last: int) -> Iterator[tuple[int, int, tuple[Lot, ...]]]:
        """Bar, side and the lots with the levels in force on it, for every bar from `first` to `last` with an open lot.

        A lot that is entered on a bar has its first levels there. Raises IndexError for bars not of the run's dates.
        """
        if not self.plan.first <= first <= last <= self.plan.last:
            raise IndexError(f"bars {first} to {last} are not all of the run")
        self._go_to(first)
        q, f, side_at = self._simulation.q, self._simulation.f, kernel.HEAD + kernel.S_SIDE
        side, lots = int(q[side_at]), self._lots(q, f)
        for bar in range(first, last + 1):
            self._simulation.advance(bar + 1)
            later, held = int(q[side_at]), self._lots(q, f)
            entered = tuple(lot for lot in held if lot.entry_bar == bar)
            if lots and (side == later or not entered):
                yield bar, side, (*lots, *entered)
            elif entered:
                yield bar, later, entered
            side, lots = later, held

    def _known(self, where: int, before: tuple[Table, Table]) -> dict[str, float]:
        q, f = self._simulation.q, self._simulation.f
        if not len(self.plan.rules.programs.table):
            return {}
        lots, entered = kernel.HEAD + kernel.S_LOTS, int(q[kernel.A_TRADES]) > int(before[0][kernel.A_TRADES])
        if not (q[lots] or before[0][lots] or entered):  # flat all the time: nothing was asked
            return {"position": 0.0}
        values = f[int(q[where]) :][: kernel.POSITION_NAMES]
        return {name: float(value) for name, value in zip(POSITION_NAMES, values, strict=True) if value == value}

    def _go_to(self, bar: int) -> None:
        """Bring the run to before a bar, from the nearest state that is kept."""
        moment, state = max((kept for kept in self._kept if kept[0] <= bar), key=lambda kept: kept[0])
        self._simulation.restore(state)
        while moment + _STRIDE <= bar:
            moment = self._simulation.advance(moment + _STRIDE)
            if moment > self._kept[-1][0]:
                self._kept.append((moment, self._simulation.state()))
        self._simulation.advance(bar)

    def _lots(self, q: Table, f: Table) -> tuple[Lot, ...]:
        base, found = kernel.HEAD, []
        for n in range(int(q[base + kernel.S_LOTS])):
            lot = q[base + q[kernel.H_LOT] + kernel.LOT_INTS * n :]
            numbers = f[base + q[kernel.H_LOT_NUMBERS] + q[kernel.H_LOT_SIZE] * n :]
            stop, target = float(numbers[kernel.L_STOP]), float(numbers[kernel.L_TARGET])
            found.append(
                Lot(
                    int(lot[kernel.L_RULE]),
                    int(lot[kernel.L_BAR]),
                    int(lot[kernel.L_MOMENT]),
                    float(numbers[kernel.L_UNITS]),
                    float(numbers[kernel.L_PAID]),
                    float(numbers[kernel.L_MID]),
                    stop if np.isfinite(stop) else None,
                    int(lot[kernel.L_KIND]),
                    target if np.isfinite(target) else None,
                )
            )
        return tuple(found)

    def _resting(self) -> tuple[Waiting, ...]:
        q, f, base = self._simulation.q, self._simulation.f, kernel.HEAD
        entries, found = int(q[kernel.H_ENTRIES]), []
        for order in range(int(q[kernel.H_ORDERS])):
            on, until, bar = q[base + q[kernel.H_ORDER] + 3 * order :][:3]
            if on:
                rule, is_exit = (order, False) if order < entries else ((order - entries) // 2, True)
                price = float(f[base + q[kernel.H_PRICE] + order])
                found.append(Waiting(rule, is_exit, price, int(until), int(bar)))
        return tuple(found)
