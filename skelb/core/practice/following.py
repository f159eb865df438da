"""The engine stopped before the next bar: what was decided on the bars that have closed, and how things stand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from skelb.core.bars import Bars, Market, next_opening, opening_clock
from skelb.core.engine import Account, Moment, Outcome, Reason, Skip, run_basket
from skelb.core.engine.ledger import Rows, exit_reason_of
from skelb.core.export import alert_rows
from skelb.core.feeds import BarSaid
from skelb.core.language import Checked
from skelb.core.plan import InputValue, Plan, make_dataset, make_plan
from skelb.core.plan.dataset import Others

HappeningKind = Literal["alert", "enter", "exit", "held back"]
_TOLD_SKIPS = (Skip.MARGIN, Skip.LOT_TOO_SMALL, Skip.LIMIT, Skip.PAUSE, Skip.BEYOND_STOP, Skip.UNKNOWN_LEVEL)


@dataclass(frozen=True, slots=True)
class Happening:
    """Something that happened with a bar that has closed. `key` is the same whenever the same bars are gone through.

    market : its symbol; opened, time : when the bar opened and when it closes, seconds since 1970 UTC
    """

    key: str
    kind: HappeningKind
    market: str
    opened: int
    time: int
    text: str


@dataclass(frozen=True, eq=False)
class SoFar:
    """A market's bars, all closed, and the one it is in: one that forms, or one that waits for other markets' bars."""

    market: Market
    bars: Bars
    standing: BarSaid | None = None
    others: Others | None = None


@dataclass(frozen=True, eq=False)
class FollowedMarket:
    """A strategy on one market after so many closed bars.

    plan : of all bars, the one it is in and one that is yet to come; `closed` of them have closed. Decisions are made
        from `plan.first` on. Nothing here reads a bar that has not closed but for what is said to be as it stands.
    outcome : the run up to the bar after the newest closed one, as it stands or, yet to come, at the last price; lots
        that are open stand in it as trades that end with the data
    """

    plan: Plan
    closed: int
    standing: BarSaid | None
    outcome: Outcome

    @property
    def symbol(self) -> str:
        """The market's symbol."""
        return self.plan.dataset.market.symbol

    @property
    def time(self) -> int:
        """The moment the newest closed bar closed, seconds since 1970 UTC."""
        return int(self.plan.dataset.calendar.close_time[self.closed - 1])

    @property
    def now(self) -> int:
        """The bar as of which things stand: the one it is in, or the newest closed one."""
        return self.closed if self.standing is not None else self.closed - 1

    @property
    def price(self) -> float:
        """The last price that was said."""
        return float(self.plan.dataset.bars.close[self.now])

    @property
    def trades(self) -> Rows:
        """The ledger of what has been left, in order of exit; fills inside the bar it is in are not among them."""
        rows = self.outcome.trades.rows
        return rows[(rows["reason"] != Reason.END) & (rows["exit_bar"] < self.closed)]

    @property
    def open_rows(self) -> Rows:
        """The open lots as trades that would end now."""
        rows = self.outcome.trades.rows
        if self.standing is not None:
            return rows[rows["reason"] == Reason.END]
        # What the bar that is yet to come brings in the run has not happened.
        entered = (rows["entry_bar"] < self.closed) | (rows["entry_moment"] == Moment.CLOSE)
        return rows[entered & (rows["exit_bar"] >= self.closed)]

    def happenings(self, checked: Checked) -> list[Happening]:
        """All that happened with closed bars: alerts, fills, entries that could not be."""
        if self.closed <= self.plan.first:
            return []
        return [*self._entries(), *self._exits(), *self._held_back(), *self._alerts(checked)]

    # --- what happened -----------------------------------------------------------------------------------------------

    def _of(self, kind: HappeningKind, bar: int, what: str, text: str) -> Happening:
        opened, closes = int(self.plan.dataset.bars.time[bar]), int(self.plan.dataset.calendar.close_time[bar])
        return Happening(f"{opened}.{what}", kind, self.symbol, opened, closes, text)

    def _entries(self) -> list[Happening]:
        """Each lot once, by the moment and the rule it came of, also where it was left in parts."""
        found: dict[str, Happening] = {}
        units: dict[str, float] = {}
        for row in self.outcome.trades.rows:
            at_close = int(row["entry_moment"]) == Moment.CLOSE
            bar = int(row["entry_bar"]) - at_close  # a fill at a close belongs to the bar after it
            if bar >= self.closed:
                continue
            what = f"1.{row['entry_moment']}.{row['entry_rule']}.{row['entry_price']:.12g}"
            units[what] = units.get(what, 0.0) + float(row["units"])
            verb = "bought" if row["side"] > 0 else "sold"
            levels = [f"{name} {self._price(row[name])}" for name in ("stop", "target") if np.isfinite(row[name])]
            text = f"{verb} {units[what]:g} at {self._price(row['entry_price'])}"
            found[f"{bar}.{what}"] = self._of("enter", bar, what, ", ".join([text, *levels]))
        return list(found.values())

    def _exits(self) -> list[Happening]:
        found = []
        for number, row in enumerate(self.trades):
            verb = "sold" if row["side"] > 0 else "bought"
            reason = exit_reason_of(self.outcome.plan, row)
            net = f"{row['net']:+,.2f}".replace("-", "−")
            text = f"{verb} {row['units']:g} at {self._price(row['exit_price'])} ({reason}), net {net}"
            found.append(self._of("exit", int(row["exit_bar"]), f"2.{row['moment']}.{number:06d}", text))
        return found

    def _held_back(self) -> list[Happening]:
        found = []
        for bar, side, reason, moment, rule in self.outcome.skips.tolist():
            if bar < self.closed and reason in _TOLD_SKIPS:
                word = "long" if side > 0 else "short"
                text = f"{word} entry held back: {Skip(reason).word}"
                found.append(self._of("held back", bar, f"3.{moment}.{side}.{rule}.{reason}", text))
        return found

    def _alerts(self, checked: Checked) -> list[Happening]:
        rows, counts, found = alert_rows(self.outcome, checked), dict[int, int](), []
        for row in rows:
            if row.bar < self.closed:
                counts[row.bar] = counts.get(row.bar, 0) + 1
                found.append(self._of("alert", row.bar, f"4.{counts[row.bar]:03d}", row.text))
        return found

    def _price(self, price: float) -> str:
        return price_text(price, self.plan.dataset.market)


@dataclass(frozen=True, eq=False)
class Following:
    """A strategy after so many closed bars of each of its markets, which share the account."""

    checked: Checked
    account: Account
    markets: tuple[FollowedMarket, ...]

    @classmethod
    def of(
        cls,
        checked: Checked,
        account: Account,
        so_far: Sequence[SoFar],
        inputs: Mapping[str, InputValue],
        since: int,
        sides: str = "both",
        inverted: bool = False,
    ) -> "Following":
        """A sound script with every input's value after the closed bars of some markets, with decisions on those that
        open at `since`, seconds since 1970 UTC, or later.

        The bars are those of the same moments: up to the newest that all markets have said. Raises SettingsError where
        the script cannot run on them.
        """
        plans, closed = [], []
        through = max(int(one.bars.time[-1]) for one in so_far)
        for one in so_far:
            bars = one.bars.take(opening_clock(one.bars, one.market)[2])
            dataset = make_dataset(lengthened(bars, one.market, one.standing, through), one.market, others=one.others)
            plan = make_plan(checked, dataset, inputs, sides, None, None, inverted)
            first = min(int(np.searchsorted(bars.time, since)), len(dataset) - 1)
            plans.append(replace(plan, first=first, last=len(dataset) - 1))
            closed.append(len(bars))
        as_it_stands = [replace(plan, last=max(plan.first, count)) for plan, count in zip(plans, closed, strict=True)]
        outcomes = run_basket(as_it_stands, account)
        found = zip(plans, closed, so_far, outcomes, strict=True)
        markets = [FollowedMarket(plan, count, one.standing, outcome) for plan, count, one, outcome in found]
        return cls(checked, account, tuple(markets))

    @property
    def time(self) -> int:
        """The moment the newest closed bar closed, seconds since 1970 UTC."""
        return max(market.time for market in self.markets)

    @property
    def trade_count(self) -> int:
        """How many trades have been left on all markets."""
        return sum(market.trades.size for market in self.markets)

    def happenings(self) -> list[Happening]:
        """All that happened with closed bars, in order."""
        found = [item for market in self.markets for item in market.happenings(self.checked)]
        if len(self.markets) > 1:
            found = [replace(item, key=f"{item.key}.{item.market}") for item in found]
        return sorted(found, key=lambda item: (item.opened, item.key))


def price_text(price: float, market: Market) -> str:
    """A price with the tick's decimals, or more where it has more."""
    whole, _, part = f"{price:,.10f}".rstrip("0").partition(".")
    part = part.ljust(market.decimals, "0")
    return f"{whole}.{part}" if part else whole


def lengthened(bars: Bars, market: Market, standing: BarSaid | None, through: int = 0) -> Bars:
    """Closed bars with the one they are in, as it stands, and one that is yet to come: its prices are the last one's.

    Without it two are yet to come. Bars that do are at the next openings in the market's session after `through`, the
    newest moment that any market has closed a bar of: what has passed has no more bars.
    """
    found = bars
    if standing is not None:
        found = _with(found, standing.time, standing.values)
    while len(found) < len(bars) + 2:
        last = float(found.close[-1])
        opened = int(found.time[-1])
        follows = next_opening(opened, max(opened, through), bars.timeframe, market, bars.dated)
        found = _with(found, follows, (last, last, last, last, 0.0))
    return found


def _with(bars: Bars, time: int, values: tuple[float, ...]) -> Bars:
    rows = (bars.open, bars.high, bars.low, bars.close, bars.volume)
    opens, highs, lows, closes, volumes = (np.append(row, value) for row, value in zip(rows, values, strict=True))
    extra = {name: np.append(column, np.nan) for name, column in bars.columns.items()}
    times = np.append(bars.time, np.int64(time))
    return Bars(bars.timeframe, times, opens, highs, lows, closes, volumes, extra, bars.dated)
