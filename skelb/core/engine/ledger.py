"""What a run leaves behind: trades, orders that did not become trades, equity."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.engine import kernel
from skelb.core.plan import NamedRule, Plan
from skelb.core.plan.columns import RATE_COLUMN

SKIP_REASONS = {
    kernel.SKIP_WINDOW: "window",
    kernel.SKIP_FLAT: "flat",
    kernel.SKIP_MARGIN: "margin",
    kernel.SKIP_BEYOND_STOP: "beyond stop",
    kernel.SKIP_BEYOND_TARGET: "beyond target",
    kernel.SKIP_UNKNOWN: "unknown level",
    kernel.SKIP_BOTH: "both sides",
    kernel.SKIP_LOT: "lot too small",
    kernel.SKIP_LIMIT: "limit",
    kernel.SKIP_PAUSE: "pause",
    kernel.SKIP_EXPIRED: "expired",
}
_EXIT_REASONS = {
    kernel.BY_STOP: "stop",
    kernel.BY_TARGET: "target",
    kernel.BY_TIME: "time",
    kernel.BY_FLAT: "flat",
    kernel.BY_REVERSE: "reverse",
    kernel.BY_RUIN: "ruin",
    kernel.BY_END: "end of data",
    kernel.BY_TRAIL: "trail",
    kernel.BY_EVEN: "breakeven",
}


@dataclass(frozen=True, eq=False)
class Trades:
    """The ledger's columns, one row a trade in order of exit: whole numbers and numbers as the kernel lays them."""

    whole: NDArray[np.int64]
    numbers: Floats

    def __len__(self) -> int:
        return self.whole.shape[0]

    @property
    def side(self) -> Ints:
        """1 for long, -1 for short, shape (trades,)."""
        return self.whole[:, kernel.TI_SIDE]

    @property
    def entry_bar(self) -> Ints:
        """Index of the bar of the entry's fill."""
        return self.whole[:, kernel.TI_ENTRY_BAR]

    @property
    def exit_bar(self) -> Ints:
        """Index of the bar of the exit's fill."""
        return self.whole[:, kernel.TI_EXIT_BAR]

    @property
    def moment(self) -> Ints:
        """When in its bar the exit filled: 0 at the open, 1 inside, 2 at the close."""
        return self.whole[:, kernel.TI_MOMENT]

    @property
    def ambiguous(self) -> Bools:
        """Whether stop and target lay in one bar, so that the account's policy decided."""
        return self.whole[:, kernel.TI_AMBIGUOUS] == 1

    @property
    def bars_held(self) -> Ints:
        """Bars counted from the entry's, the exit's included unless it filled at its open."""
        return self.exit_bar - self.entry_bar + (self.moment != kernel.AT_OPEN)

    @property
    def net(self) -> Floats:
        """Profit after all costs, account currency."""
        return self.numbers[:, kernel.TF_NET]

    @property
    def gross(self) -> Floats:
        """Profit between mids, account currency."""
        return self.numbers[:, kernel.TF_GROSS]

    def column(self, index: int) -> Floats:
        """One of the kernel's number columns (`kernel.TF_…`), shape (trades,)."""
        return self.numbers[:, index]


def exit_reason_of(plan: Plan, whole: NDArray[np.int64]) -> str:
    """Why the trade of a row of whole numbers ended: a rule's name, or the engine's word."""
    reason = int(whole[kernel.TI_REASON])
    return plan.exits[int(whole[kernel.TI_EXIT_RULE])].name if reason == kernel.BY_RULE else _EXIT_REASONS[reason]


@dataclass(frozen=True, eq=False)
class Outcome:
    """One finished simulation. `equity` covers bars first to last; `skips` are (bar, side, reason, moment,
    entry rule or -1) rows."""

    plan: Plan
    capital: float
    trades: Trades
    skips: NDArray[np.int64]
    equity: Floats
    cuts: int
    is_ruined: bool
    cash_rate: float = 0.0

    @property
    def first(self) -> int:
        """Index of the first bar run."""
        return self.plan.first

    @property
    def last(self) -> int:
        """Index of the last bar run."""
        return self.plan.last

    def exit_reason(self, row: int) -> str:
        """Why a trade ended: a rule's name, or the engine's word."""
        return exit_reason_of(self.plan, self.trades.whole[row])

    def entry_rule(self, row: int) -> NamedRule:
        """The rule that entered a trade."""
        return self.plan.entries[int(self.trades.whole[row, kernel.TI_ENTRY_RULE])]

    def entry_times(self) -> Ints:
        """Fill times of the entries, seconds since 1970 UTC, shape (trades,): their bars' opens, or the close before.

        A fill at a close belongs to the bar after it, which is the first that its levels hold for.
        """
        bars, moments = self.trades.entry_bar, self.trades.whole[:, kernel.TI_ENTRY_MOMENT]
        return self.moment_times(bars - (moments == kernel.AT_CLOSE), moments)

    def exit_times(self) -> Ints:
        """Fill times of the exits: the bar's open, or its close for fills at the close."""
        return self.moment_times(self.trades.exit_bar, self.trades.moment)

    def values(self, bars: Ints, moments: Ints) -> Floats:
        """Money that one unit makes when price moves by 1, at a moment of each bar: point value times currency rate."""
        rate = self.plan.rules.levels.columns[RATE_COLUMN]
        known = np.maximum(bars - (moments != kernel.AT_CLOSE), self.first)
        at_moment = np.broadcast_to(rate, bars.shape) if rate.size == 1 else rate[known]
        return at_moment * self.plan.dataset.market.point_value

    def moment_times(self, bars: Ints, moments: Ints) -> Ints:
        """The time of a moment in a bar: its close for moments at the close, else its open."""
        dataset = self.plan.dataset
        return np.where(moments == kernel.AT_CLOSE, dataset.calendar.close_time[bars], dataset.bars.time[bars])
