"""What a run leaves behind: trades, orders that did not become trades, equity."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bools, Floats, Ints
from skelb.core.engine.words import Moment, Reason
from skelb.core.plan import NamedRule, Plan
from skelb.core.plan.columns import RATE_COLUMN

Rows = NDArray[np.void]


class _Whole:
    """A column of whole numbers, shape (trades,)."""

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    def __get__(self, trades: Any, owner: type) -> Ints:
        found: Ints = trades.rows[self._name]
        return found


class _Number(_Whole):
    """A column of numbers, shape (trades,)."""

    def __get__(self, trades: Any, owner: type) -> Floats:  # type: ignore[override]
        found: Floats = trades.rows[self._name]
        return found


@dataclass(frozen=True, eq=False)
class Trades:
    """The ledger, one row a trade in order of exit, with named columns. Money is in the account's currency.

    side : 1 for long, -1 for short
    entry_bar, exit_bar : indexes of the bars of the fills; entry_moment, moment : when in their bars (`Moment`)
    entry_rule, exit_rule : places of the rules, the latter -1 where no rule ended it; reason : `Reason`
    ends_lot : 0 for a part of a lot that went on
    units; entry_mid, exit_mid, entry_price, exit_price : prices, the latter two with spread and slippage
    gross : between mids; commission, spread, slippage, financing : costs; entry_fee : the entry's part of commission
    net : profit after all costs; r : net by what was at risk at first, NaN without a stop
    best, worst : excursions, money; stop, target : levels at first, NaN without; risk : the first stop's distance
    equity : the capital with all nets so far
    """

    rows: Rows

    side, entry_bar, exit_bar, entry_rule, exit_rule = _Whole(), _Whole(), _Whole(), _Whole(), _Whole()
    reason, moment, entry_moment, ends_lot = _Whole(), _Whole(), _Whole(), _Whole()
    units, entry_mid, exit_mid, entry_price, exit_price = _Number(), _Number(), _Number(), _Number(), _Number()
    gross, commission, spread, slippage, financing = _Number(), _Number(), _Number(), _Number(), _Number()
    net, r, best, worst, stop, target = _Number(), _Number(), _Number(), _Number(), _Number(), _Number()
    equity, risk, entry_fee = _Number(), _Number(), _Number()

    def __len__(self) -> int:
        return self.rows.size

    @property
    def ambiguous(self) -> Bools:
        """Whether stop and target lay in one bar, so that the account's policy decided."""
        return self.rows["ambiguous"] == 1

    @property
    def bars_held(self) -> Ints:
        """Bars counted from the entry's, the exit's included unless it filled at its open."""
        return self.exit_bar - self.entry_bar + (self.moment != Moment.OPEN)


def exit_reason_of(plan: Plan, row: Any) -> str:
    """Why the trade of a row of the ledger ended: a rule's name, or the engine's word."""
    reason = Reason(int(row["reason"]))
    return plan.exits[int(row["exit_rule"])].name if reason == Reason.RULE else reason.word


@dataclass(frozen=True, eq=False)
class Outcome:
    """One finished simulation. `equity` covers bars first to last; `skips` have the columns bar, side,
    reason (`Skip`), moment, rule (the entry rule or -1 for a side's)."""

    plan: Plan
    capital: float
    trades: Trades
    skips: Rows
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
        return exit_reason_of(self.plan, self.trades.rows[row])

    def entry_rule(self, row: int) -> NamedRule:
        """The rule that entered a trade."""
        return self.plan.entries[int(self.trades.entry_rule[row])]

    def entry_times(self) -> Ints:
        """Fill times of the entries, seconds since 1970 UTC, shape (trades,): their bars' opens, or the close before.

        A fill at a close belongs to the bar after it, which is the first that its levels hold for.
        """
        bars, moments = self.trades.entry_bar, self.trades.entry_moment
        return self.moment_times(bars - (moments == Moment.CLOSE), moments)

    def exit_times(self) -> Ints:
        """Fill times of the exits: the bar's open, or its close for fills at the close."""
        return self.moment_times(self.trades.exit_bar, self.trades.moment)

    def values(self, bars: Ints, moments: Ints) -> Floats:
        """Money that one unit makes when price moves by 1, at a moment of each bar: point value times currency rate."""
        rate = self.plan.columns[RATE_COLUMN]
        known = np.maximum(bars - (moments != Moment.CLOSE), self.first)
        at_moment = np.broadcast_to(rate, bars.shape) if rate.size == 1 else rate[known]
        return at_moment * self.plan.dataset.market.point_value

    def moment_times(self, bars: Ints, moments: Ints) -> Ints:
        """The time of a moment in a bar: its close for moments at the close, else its open."""
        dataset = self.plan.dataset
        return np.where(moments == Moment.CLOSE, dataset.calendar.close_time[bars], dataset.bars.time[bars])
