# fmt: off
# ruff: noqa
# mypy: ignore-errors
"""A plain account: fills the orders of a strategy by the bars, one after the other, and writes down its trades.

A template: a line that ends in `# if …`, and what is indented under it, is for strategies that use these features.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Protocol

from skelb.core.export.python.parts.market import Bar, Market
from skelb.core.export.python.parts.values import Truth, known, ratio

LONG, SHORT = 1, -1
Level = Callable[[float, float], float]
"""A price or a distance from an entry's mid price and its risk, the distance of its first stop."""


@dataclass(frozen=True)
class Settings:
    """What the account begins with and what a fill costs: a percent of its value, so much a unit, so much an order."""

    capital: float
    leverage: float
    stop_out: float  # it is closed out when equity falls to this share of the margin
    skips_short_of_margin: bool  # an entry that does not fit is left, not cut
    commission_percent: float
    commission_per_unit: float
    commission_per_order: float
    commission_minimum: float
    slippage_ticks: float


@dataclass(frozen=True)
class Position:  # if asks
    """What rules may know of the position at a close; without one all but the first two are unknown."""

    side: int = 0  # 1 long, -1 short
    open_lots: int = 0
    entry_price: float = math.nan
    last_entry_price: float = math.nan
    bars_held: float = math.nan
    days_held: float = math.nan
    open_profit: float = math.nan  # percent, as the next two
    best_profit: float = math.nan
    worst_profit: float = math.nan
    stop_price: float = math.nan
    target_price: float = math.nan


@dataclass(frozen=True, kw_only=True)
class Order:
    """What a rule wants at a close: to fill at the next open (`market`), at once (`close`), or to rest at a price.

    Of a rule that asks for the position, `when` says whether it holds, and its price may be asked for too.
    """

    side: int
    name: str
    rank: int  # the rule's place among the others
    at: str = "market"
    price: float | Callable[[Position], float] = math.nan  # if resting and asks
    price: float = math.nan  # if resting and not asks
    bars: int = 1  # that it rests  # if resting
    when: Callable[[Position], Truth] | None = None  # if asks


@dataclass(frozen=True, kw_only=True)
class Enter(Order):
    """An entry: its units from equity, fill price and risk, and its levels as they are fixed at the judgement."""

    units: Callable[[float, float, float], float]
    stop: Callable[[float], float] | None = None  # if stop
    target: Level | None = None  # if target
    parts: tuple[tuple[Level, float], ...] = ()  # targets and the percent of the first units each takes off  # if parts
    trail: Level | None = None  # a distance from the best price  # if trail
    trail_once: Level | None = None  # the profit from which it follows  # if trail
    follow_once: Level | None = None  # the same, of a stop that follows a price  # if follow
    even_once: Level | None = None  # the profit from which the stop moves to the entry  # if even
    even_plus: Level | None = None  # and this much further  # if even


@dataclass(frozen=True, kw_only=True)
class Exit(Order):
    """An exit of a side's lots (0: of both sides), or of a part of those that one entry opened."""

    take: float = 100.0  # if partial
    lots: str = ""  # if partial


@dataclass(frozen=True)
class Follow:  # if follow
    """A stop of one side that follows a price, judged at each close."""

    side: int
    price: float | Callable[[Position], float]  # if asks
    price: float  # if not asks


Wish = Enter | Exit  # if not follow
Wish = Enter | Exit | Follow  # if follow


class Rules(Protocol):
    """What the account asks a strategy for; counts of a side are by its number."""

    room: int  # how many lots may be open at once
    exit_after_bars: dict[int, float]  # at the next open  # if time
    exit_after_bars_at_close: dict[int, float]  # if time
    exit_after_days: dict[int, float]  # if days
    exit_after_days_at_close: dict[int, float]  # if days
    entries_a_day: float  # if limits
    losses_a_day: float  # if limits
    loss_percent: float  # if loss
    pause_after_exit: int  # if pause
    pause_after_stop: int  # if pause
    pause_after_loss: int  # if pause

    def on_bar(self, bar: Bar) -> list[Wish]: ...

    def may_enter(self, bar: Bar) -> bool: ...

    def is_flat_from_open(self, bar: Bar) -> bool: ...  # if flat

    def is_flat_from_close(self, bar: Bar) -> bool: ...  # if flat

    def stays_out(self, bar: Bar) -> bool: ...  # if flat


@dataclass
class Lot:
    """What one entry opened, as long as it is open."""

    name: str
    bar: int  # number of its entry bar
    entered: int  # seconds since 1970 UTC
    mid: float
    price: float
    units: float
    first_units: float
    risk: float
    high: float
    low: float
    fee: float
    spread: float
    slippage: float
    margin: float
    first_stop: float | None
    first_target: float | None
    stop: float | None
    target: float | None
    stop_kind: str = "stop"
    taken: float = 0.0  # percent of the first units
    profit: float = 0.0  # at the latest close
    financing: float = 0.0
    days: int = 0  # trading days before its first one  # if days or asks
    inside: int = -1  # the bar inside which it was opened  # if resting
    goals: list[tuple[float, float]] = field(default_factory=list)  # if parts
    trail: float = math.nan  # if trail
    trail_once: float = 0.0  # if trail
    follow_once: float = 0.0  # if follow
    even_once: float = math.inf  # if even
    even_plus: float = 0.0  # if even


@dataclass(frozen=True)
class Trade:
    """A finished trade. Prices are those of the fills, spread and slippage in them; r is the net in first risks."""

    number: int
    market: str
    side: str
    entry_time: str
    entry_price: float
    entry_rule: str
    exit_time: str
    exit_price: float
    units: float
    exit_reason: str
    gross: float
    commission: float
    spread_cost: float
    slippage_cost: float
    financing: float
    net: float
    net_percent: float | None
    r: float | None
    best: float
    worst: float
    best_r: float | None
    worst_r: float | None
    bars_held: int
    initial_stop: float | None
    initial_target: float | None
    equity_after: float


@dataclass
class Resting:  # if resting
    """An order that rests at a price."""

    order: Enter | Exit
    side: int
    direction: int  # 1 where it buys
    price: float
    until: int  # number of the last bar it rests on
    is_stop: bool
    closes_only: bool = False

    @property
    def is_exit(self) -> bool:
        """An entry that may only close is an exit in everything."""
        return self.closes_only or isinstance(self.order, Exit)

    def is_met_at(self, price: float) -> bool:
        """A limit is met by a price at or better, a stop by one at or worse."""
        better = (self.price - price) * self.direction
        return better <= 0 if self.is_stop else better >= 0


class Account:
    """One market, one strategy: every bar its open, what happens inside it, its close, then the rules."""

    def __init__(self, strategy: Rules, market: Market, settings: Settings) -> None:
        self.strategy, self.market, self.settings = strategy, market, settings
        self.earned = settings.capital
        self.side = 0
        self.lots: list[Lot] = []
        self.trades: list[Trade] = []
        self.waiting: list[Enter] = []  # for the next open
        self.exit_due = ""  # why the position ends at the next open
        self.parts_due: list[Exit] = []  # if partial
        self.resting: dict[tuple[int, int], Resting] = {}  # by rank and side  # if resting
        self.rested: dict[tuple[int, int], Resting] = {}  # before the last close's entries  # if resting and several
        self.live: set[tuple[int, int]] = set()  # of those, the ones that the open has not passed  # if resting
        self.is_ruined = False
        self.days = 0  # trading days so far  # if days or asks
        self.equity_at_close = settings.capital  # if limits
        self.equity_yesterday = settings.capital  # if limits
        self.entries_today, self.losses_today, self.is_lost_today = 0, 0, False  # if limits
        self.paused_until = -1  # number of the first bar that may enter again  # if pause
        self.last_close = math.nan  # if financing
        self.last_weekday = ""  # if financing

    def on_bar(self, bar: Bar, is_last: bool = False) -> None:
        """One bar, in order. The last one of a history ends what is open."""
        if self.is_ruined:
            return
        self.bar = bar
        self.at_open(bar)
        self.inside(bar)
        self.at_close(bar, is_last)
        wishes = self.strategy.on_bar(bar)
        if not (is_last or self.is_ruined):
            self.judge(bar, wishes)
        self.last_close, self.last_weekday = bar.close, bar.weekday  # if financing

    # --- one bar ---

    def at_open(self, bar: Bar) -> None:
        rolled = bar.first_of_day and bar.number > 0
        self.days += bar.first_of_day  # if days or asks
        for lot in self.lots:  # if days or asks
            if lot.bar == bar.number:
                lot.days = self.days - 1
        if rolled:  # if limits
            self.equity_yesterday = self.equity_at_close
            self.entries_today, self.losses_today, self.is_lost_today = 0, 0, False
        if rolled:  # if financing
            self.pay_for_the_night()
        if self.strategy.is_flat_from_open(bar):  # if flat
            self.waiting, self.exit_due = [], ""
            self.parts_due = []  # if partial
            self.resting = {}  # if resting
            self.leave_all(bar.open, "flat", "open")
        if self.lots and self.days - self.lots[0].days - 1 >= self.strategy.exit_after_days[self.side]:  # if days
            self.exit_due = "time" if self.exit_due in ("", "reverse") else self.exit_due
            self.waiting = [order for order in self.waiting if order.side != self.side]
            self.take_back(self.side)  # if resting and several
        if self.exit_due:
            self.leave_all(bar.open, self.exit_due, "open")
            self.exit_due = ""
        due, self.parts_due = self.parts_due, []  # if partial
        for order in due:  # if partial
            self.take(order, bar.open, "open")
        waiting, self.waiting = self.waiting, []
        for entry in waiting:
            if len(self.lots) < self.strategy.room:
                self.enter(entry, bar.open, "open")

    def take_back(self, side: int) -> None:  # if resting and several and days
        """What the last close let rest of a side whose time turns out to be up: what rested before it still does."""
        for key, resting in list(self.resting.items()):
            if isinstance(resting.order, Enter) and resting.side == side:
                del self.resting[key]
        for key, resting in self.rested.items():
            if isinstance(resting.order, Enter) and resting.side == side:
                self.resting[key] = resting

    def pay_for_the_night(self) -> None:  # if financing
        percent = self.market.financing_long if self.side > 0 else self.market.financing_short
        nights = 3 if self.last_weekday == self.market.triple_day else 1
        for lot in self.lots:
            lot.financing += lot.units * self.last_close * self.market.point_value * percent / 100 / 365 * nights

    def inside(self, bar: Bar) -> None:
        """Levels and orders that the open has passed fill at the open; then what the bar's prices meet."""
        for lot in list(self.lots):
            if lot.stop is not None and (bar.open - lot.stop) * self.side <= 0:
                self.leave(lot, bar.open, lot.stop_kind, "open")
                continue
            while lot in self.lots and self.is_at_target(lot, bar.open):
                self.take_target(lot, bar.open, "open")
        self.live = self.fill_passed(bar)  # if resting
        self.walk_the_path(bar)  # if path
        self.expect_the_worst(bar)  # if not path

    def fill_passed(self, bar: Bar) -> set[tuple[int, int]]:  # if resting
        """Fill what the open has passed: exits, then entries of the side for which the close is worse. The rest."""
        passed = [key for key in sorted(self.resting) if self.resting[key].is_met_at(bar.open)]
        for key in passed:
            if key in self.resting and self.resting[key].is_exit:
                self.fill(key, bar.open, "open")
        passed = [key for key in sorted(self.resting) if self.resting[key].is_met_at(bar.open)]
        able = [key for key in passed if not self.resting[key].is_exit and self.has_room(key)]
        if able:
            side = min((self.resting[key].side for key in able), key=lambda side: (bar.close - bar.open) * side)
            for key in able:
                if key in self.resting and self.resting[key].side == side and self.has_room(key):
                    self.fill(key, bar.open, "open")
        return {key for key in self.resting if key not in passed}

    def expect_the_worst(self, bar: Bar) -> None:  # if not path and not resting
        """If stop and target are both inside the bar, the stop fills; the nearest to the open first."""
        for against in (True, False):
            while True:
                met = [
                    (abs(level - bar.open), place, lot)
                    for place, lot in enumerate(self.lots)
                    for level in [lot.stop if against else self.next_target(lot)]
                    if level is not None
                    and (bar.low <= level if (self.side > 0) == against else bar.high >= level)
                ]
                if not met:
                    break
                lot = min(met, key=lambda found: found[:2])[2]
                if against and lot.stop is not None:
                    self.leave(lot, lot.stop, lot.stop_kind, "inside")
                else:
                    self.take_target(lot, self.next_target(lot), "inside")

    def expect_the_worst(self, bar: Bar) -> None:  # if not path and resting
        """Of stop and target the stop fills; levels and orders on one side of the open are met nearest first."""

        def touched(below: bool | None = None, least: float = 0.0, exits: bool = False) -> list[tuple[int, int]]:
            return [
                key
                for key in sorted(self.resting)
                for order in [self.resting[key]]
                if key in self.live and bar.low <= order.price <= bar.high
                and self.has_room(key) and order.is_exit == exits
                and abs(order.price - bar.open) >= least and (below is None or (order.price < bar.open) == below)
            ]

        def nearness(key: tuple[int, int]) -> tuple[float, bool]:  # of two as near, the one below the open counts
            return abs(self.resting[key].price - bar.open), self.resting[key].price > bar.open

        if not self.lots:
            nearest = [
                min((key for key in touched() if self.resting[key].side == side), key=nearness, default=None)
                for side in (LONG, SHORT)
            ]
            found = [key for key in nearest if key is not None]
            if found:  # of both sides only the one for which the close is worse
                first = min(found, key=lambda key: (bar.close - self.resting[key].price) * self.resting[key].side)
                side = self.resting[first].side
                while found:
                    self.fill_inside(bar, first)
                    found = [key for key in touched() if self.resting[key].side == side]
                    first = min(found, key=nearness, default=first)
            return
        position = self.side
        for against in (True, False):
            below, reached = (position > 0) == against, 0.0
            while True:
                met: list[tuple[float, int, int, Lot | tuple[int, int]]] = []
                for place, lot in enumerate(self.lots):
                    level = lot.stop if against else self.next_target(lot)
                    is_met = level is not None and (bar.low <= level if below else bar.high >= level)
                    if level is not None and is_met and lot.inside != bar.number:
                        met.append((abs(level - bar.open), 0, place, lot))
                for kind, exits in ((1, True), (2, False)):
                    for place, key in enumerate(touched(below, reached, exits)):
                        met.append((abs(self.resting[key].price - bar.open), kind, place, key))
                if not met:
                    break
                reached, _, _, what = min(met, key=lambda found: found[:3])
                if isinstance(what, Lot):
                    if against and what.stop is not None:
                        self.leave(what, what.stop, what.stop_kind, "inside")
                    else:
                        self.take_target(what, self.next_target(what), "inside")
                elif self.resting[what].is_exit:
                    self.fill(what, self.resting[what].price, "inside")
                else:
                    turns = self.resting[what].side != self.side
                    self.fill_inside(bar, what)
                    if turns:
                        return
            if self.side != position:
                return

    def fill_inside(self, bar: Bar, key: tuple[int, int]) -> None:  # if not path and resting
        """An entry inside the bar: its stop counts for it, its target only if the close is at or beyond it."""
        if not self.fill(key, self.resting[key].price, "inside"):
            return
        lot = self.lots[-1]
        if lot.stop is not None and (bar.low <= lot.stop if self.side > 0 else bar.high >= lot.stop):
            self.leave(lot, lot.stop, lot.stop_kind, "inside")
            return
        while lot in self.lots and self.is_at_target(lot, bar.close):
            self.take_target(lot, self.next_target(lot), "inside")

    def walk_the_path(self, bar: Bar) -> None:  # if path
        """Price goes from the open to the nearer extreme, to the other, to the close; everything fills on its way."""
        high_first = abs(bar.open - bar.high) < abs(bar.open - bar.low) - self.market.tick / 1000
        at = bar.open
        for end in (bar.high, bar.low, bar.close) if high_first else (bar.low, bar.high, bar.close):
            rises = end >= at
            while True:
                stops = (self.side < 0) == rises
                ahead: list[tuple[float, Lot | tuple[int, int]]] = []
                for lot in self.lots:
                    level = lot.stop if stops else self.next_target(lot)
                    if level is not None and min(at, end) <= level <= max(at, end):
                        ahead.append((level, lot))
                for key in sorted(self.resting, key=lambda key: (not self.resting[key].is_exit, key)):  # if resting
                    order = self.resting[key]
                    meets = ((order.direction > 0) == order.is_stop) == rises and key in self.live and self.has_room(key)
                    if meets and min(at, end) <= order.price <= max(at, end):
                        ahead.append((order.price, key))
                if not ahead:
                    break
                price, what = min(ahead, key=lambda found: abs(found[0] - at))
                at = price
                if isinstance(what, tuple):  # if resting
                    self.fill(what, price, "inside")
                    continue
                if stops:
                    self.leave(what, price, what.stop_kind, "inside")
                else:
                    self.take_target(what, price, "inside")
            at = end

    def at_close(self, bar: Bar, is_last: bool) -> None:
        """Excursions and profits at the close, and what ends there whatever the rules say."""
        for lot in self.lots:
            high, low = bar.high, bar.low
            if lot.inside == bar.number:  # its good extreme may have come before the fill: the close is sure  # if resting
                high, low = (bar.close, low) if self.side > 0 else (high, bar.close)
            lot.high, lot.low = max(lot.high, high), min(lot.low, low)
            lot.profit = (bar.close - lot.price) * lot.units * self.market.point_value * self.side
        equity, margin = self.equity(), sum(lot.margin for lot in self.lots)
        least = self.settings.stop_out * margin
        if equity <= least or abs(equity - least) <= 1e-12 * max(abs(equity), abs(least)):
            self.is_ruined = True
            self.leave_all(bar.close, "ruin", "close")
        elif self.strategy.is_flat_from_close(bar):  # if flat
            self.resting = {}  # if resting
            self.leave_all(bar.close, "flat", "close")
        if is_last:
            self.leave_all(bar.close, "end of data", "close")
        self.equity_at_close = self.equity()  # if limits

    # --- the rules at a close ---

    def judge(self, bar: Bar, wishes: list[Wish]) -> None:
        entries = [wish for wish in wishes if isinstance(wish, Enter)]
        exits = [wish for wish in wishes if isinstance(wish, Exit)]
        followed = [self.price_of(wish) for wish in wishes if isinstance(wish, Follow) and wish.side == self.side]  # if follow
        for lot in self.lots:  # if moving
            self.move_levels(lot)  # if not follow
            self.move_levels(lot, followed)  # if follow
        least = self.equity_yesterday * (1 - self.strategy.loss_percent / 100)  # if loss
        if self.equity_at_close <= least or abs(self.equity_at_close - least) <= 1e-12 * abs(least):  # if loss
            self.is_lost_today = True
            self.drop_entries()  # if resting
        placed = [  # if resting
            (order, self.price_of(order))
            for order in exits
            if order.at in ("limit", "stop") and order.side in (0, self.side) and self.lots and self.holds(order)
        ]
        barred = self.judge_exits(bar, [order for order in exits if order.at in ("market", "close")])
        entries = [order for order in entries if order.side not in barred]
        entries = [order for order in entries if self.holds(order)]  # if asks
        self.resting = {key: order for key, order in self.resting.items() if order.until > bar.number}  # if resting
        for order, price in placed:  # if resting
            if self.is_for_a_lot(order) and known(price):
                self.rest(bar, order, self.side, -self.side, price)
        self.rested = dict(self.resting)  # if resting and several
        if entries and self.may_enter(bar):
            self.judge_entries(bar, entries)

    def may_enter(self, bar: Bar) -> bool:
        if self.strategy.stays_out(bar):  # if flat
            return False
        if self.is_limit_reached():  # if limits
            return False
        if bar.number < self.paused_until:  # if pause
            return False
        return self.strategy.may_enter(bar)

    def judge_exits(self, bar: Bar, exits: list[Exit]) -> set[int]:
        """Exit rules, then time exits; the sides that enter no more at this close."""
        sure = exits  # if not asks
        sure = [order for order in exits if order.when is None]  # if asks
        barred = {side for order in sure for side in (LONG, SHORT) if order.side in (0, side)}
        if not self.lots:
            return barred
        side = self.side
        yes = [order for order in exits if order.side in (0, side) and self.holds(order)]
        whole = yes  # if not partial
        whole = [order for order in yes if order.take >= 100 and not order.lots]  # if partial
        parts = [order for order in yes if order.take < 100 or order.lots]  # if partial
        self.parts_due = [order for order in parts if order.at == "market"]  # if partial
        due = [(order.name, order.at) for order in whole]
        time = self.time_is_up(bar)  # if time
        due += [("time", time)] if time else []  # if time
        at_once = [name for name, at in due if at == "close"]
        if at_once:
            self.leave_all(bar.close, at_once[0], "close")
        elif due:
            self.exit_due = due[0][0]
        for order in parts:  # if partial
            if order.at == "close" and self.lots:
                self.take(order, bar.close, "close")
        return barred | {side} if yes or due else barred

    def time_is_up(self, bar: Bar) -> str:  # if time
        """When the position's time is up: at the `close`, at the next open (`market`), or not yet."""
        held = bar.number - self.lots[0].bar + 1
        if held >= self.strategy.exit_after_bars_at_close[self.side]:
            return "close"
        days = max(self.days - self.lots[0].days, 1) if self.lots[0].bar <= bar.number else 1  # if days
        if days >= self.strategy.exit_after_days_at_close[self.side] and bar.ends_day:  # if days
            return "close"
        return "market" if held >= self.strategy.exit_after_bars[self.side] else ""

    def judge_entries(self, bar: Bar, entries: list[Enter]) -> None:
        held = self.side
        first = [order for order in entries if order.side == (-held or LONG)]  # an opposite entry before adding
        others = [order for order in entries if order.side != (-held or LONG)]
        at_market = {order.side for order in entries if order.at in ("market", "close")}
        if not held and len(at_market) == 2:  # both sides at a market price: neither happens
            first = [order for order in first if order.at not in ("market", "close")]
            others = [order for order in others if order.at not in ("market", "close")]
        if held:  # if ignore
            first = []
        if held and any(order.at in ("market", "close") for order in first):
            others = [order for order in others if order.at not in ("market", "close")]
        for order in first + others:
            self.place(bar, order, held)

    def place(self, bar: Bar, order: Enter, held: int) -> None:
        """An entry fills at once, waits for the open or rests; `held` is the side of the position before."""
        room = self.strategy.room - (len(self.lots) if self.side == order.side else 0)
        if order.at in ("limit", "stop"):  # if resting
            if room > 0:
                self.let_rest(bar, order, held)
            return
        if held == -order.side:  # if exit
            self.leave_for(bar, order)
            return
        if order.at == "market" and room > 0:
            self.waiting.append(order)
            self.leave_for(bar, order)
        elif order.at == "close" and room > len(self.waiting):
            self.leave_for(bar, order)
            self.enter(order, bar.close, "close")

    def leave_for(self, bar: Bar, order: Enter) -> None:
        """An entry takes a position of the other side out."""
        if self.side != -order.side:
            return
        if order.at == "close":
            self.leave_all(bar.close, "reverse", "close")
        else:
            self.exit_due = self.exit_due or "reverse"

    def let_rest(self, bar: Bar, order: Enter, held: int) -> None:  # if resting
        """An entry rests from the next bar on, in place of the same rule's elder one."""
        price = self.price_of(order)
        if not known(price):
            return
        if held == -order.side and self.side != held:  # there is nothing left for it to close  # if exit
            return
        key = self.rest(bar, order, order.side, order.side, price)
        if self.side == -order.side:
            self.follow_opposite(key)

    def rest(self, bar: Bar, order: Enter | Exit, side: int, direction: int, price: float) -> tuple[int, int]:  # if resting
        key = order.rank, direction
        is_stop, until = order.at == "stop", bar.number + order.bars
        self.resting[key] = Resting(order, side, direction, self.market.rounded(price), until, is_stop)
        return key

    def follow_opposite(self, key: tuple[int, int]) -> None:  # if resting
        """What becomes of a resting entry when the other side is in."""
        self.resting[key].closes_only = True  # if exit
        del self.resting[key]  # if ignore
        return  # if not exit and not ignore

    def price_of(self, wish: Order | Follow) -> float:  # if resting or follow
        return wish.price(self.position()) if callable(wish.price) else wish.price  # if asks
        return wish.price  # if not asks

    def holds(self, order: Order) -> bool:
        """Whether a rule that asks for the position is yes; the others were judged by the strategy."""
        return order.when is None or order.when(self.position()) is True  # if asks
        return True  # if not asks

    def position(self) -> Position:  # if asks
        """What rules may know of the position."""
        if not self.lots:
            return Position()
        side, oldest, close = self.side, self.lots[0], self.bar.close
        entry = sum(lot.mid for lot in self.lots) / len(self.lots)
        best, worst = (oldest.high, oldest.low) if side > 0 else (oldest.low, oldest.high)

        def percent(price: float) -> float:
            return ratio((price - entry) * side, abs(entry)) * 100

        target = self.next_target(oldest)
        return Position(
            side, len(self.lots), entry, self.lots[-1].mid, self.bar.number - oldest.bar + 1,
            max(self.days - oldest.days, 1) if oldest.bar <= self.bar.number else 1,
            percent(close), percent(best), percent(worst),
            math.nan if oldest.stop is None else oldest.stop, math.nan if target is None else target,
        )

    def move_levels(self, lot: Lot, followed: Sequence[float] = ()) -> None:  # if moving
        """Levels for the next bar, from what is known at this close; they only tighten."""
        best = lot.high if self.side > 0 else lot.low
        moved = (best - lot.mid) * self.side + self.market.tick * 1e-6
        if known(lot.trail) and moved >= lot.trail_once:  # if trail
            self.tighten(lot, best - self.side * lot.trail, "trail")
        for price in followed:  # if follow
            if known(price) and moved >= lot.follow_once:
                self.tighten(lot, price, "trail")
        if moved >= lot.even_once:  # if even
            self.tighten(lot, lot.mid + self.side * lot.even_plus, "breakeven")

    def tighten(self, lot: Lot, price: float, kind: str) -> None:  # if moving
        level = self.market.rounded(price)
        if lot.stop is None or (level - lot.stop) * self.side > 0:
            lot.stop, lot.stop_kind = level, kind

    def is_limit_reached(self) -> bool:  # if limits
        return self.entries_today >= self.strategy.entries_a_day or self.losses_today >= self.strategy.losses_a_day or self.is_lost_today

    def drop_entries(self) -> None:  # if resting and limits
        """A limit that is reached drops all that rests to enter."""
        self.resting = {key: order for key, order in self.resting.items() if order.is_exit}

    # --- fills ---

    def has_room(self, key: tuple[int, int]) -> bool:  # if resting
        order = self.resting[key]
        return order.is_exit or order.side != self.side or len(self.lots) < self.strategy.room

    def fill(self, key: tuple[int, int], mid: float, moment: str) -> bool:  # if resting
        """Fill an order that rests; whether it opened a lot. Limits pay no slippage."""
        resting = self.resting.pop(key)
        if isinstance(resting.order, Exit):
            self.take(resting.order, mid, moment, resting.is_stop)
            return False
        if self.side == -resting.side:
            self.leave_all(mid, "reverse", moment, resting.is_stop)
        return not resting.closes_only and self.enter(resting.order, mid, moment, resting.is_stop)

    def enter(self, order: Enter, mid: float, moment: str, slips: bool = True) -> bool:
        """Open a lot, unless a level is unknown or passed already, the margin too short, or the lot too small."""
        side, bar, market = order.side, self.bar, self.market
        stop: float | None = None
        if order.stop:  # if stop
            found = order.stop(mid)
            if not known(found):
                return False
            stop = market.rounded(found)
        first_stop, risk, kind = stop, 0.0 if stop is None else abs(mid - stop), "stop"
        first_risk = risk  # if moving
        trail, trail_once = math.nan, 0.0  # if trail
        if order.trail:  # if trail
            trail = order.trail(mid, risk)
            trail_once = order.trail_once(mid, risk) if order.trail_once else 0.0
            if not (known(trail) and known(trail_once)):
                return False
            if trail_once == 0.0:
                level = market.rounded(mid - side * trail)
                if stop is None:  # the trail is the first stop where there is none
                    first_stop, risk = level, abs(mid - level)
                if stop is None or (level - stop) * side > 0:
                    stop, kind = level, "trail"
        follow_once = order.follow_once(mid, first_risk) if order.follow_once else 0.0  # if follow
        even_once = order.even_once(mid, first_risk) if order.even_once else math.inf  # if even
        even_plus = order.even_plus(mid, first_risk) if order.even_plus else 0.0  # if even
        if not known(follow_once):  # if follow
            return False
        if not (known(even_once) and known(even_plus)):  # if even
            return False
        target: float | None = None
        if order.target:  # if target
            found = order.target(mid, risk)
            if not known(found):
                return False
            target = market.rounded(found)
        goals = [(level(mid, risk), percent) for level, percent in order.parts]  # if parts
        if not all(known(level) for level, _ in goals):  # if parts
            return False
        goals = [(market.rounded(level), percent) for level, percent in goals]  # if parts
        ahead = [] if target is None else [target]
        ahead += [level for level, _ in goals]  # if parts
        if (stop is not None and (stop - mid) * side >= 0) or any((level - mid) * side <= 0 for level in ahead):
            return False
        half, slip = self.spread_paid(side, mid), self.settings.slippage_ticks * market.tick if slips else 0.0
        price, equity = mid + side * (half + slip), self.equity()
        units = order.units(equity, price, risk)
        if not known(units) or units == math.inf:
            return False
        margin_per_unit = abs(price) * market.point_value / self.settings.leverage
        free = equity - sum(lot.margin for lot in self.lots)
        if units * margin_per_unit > free * (1 + 1e-9):
            if self.settings.skips_short_of_margin or free <= 0:
                return False
            units = free / margin_per_unit
        units = self.in_lots(units)
        if units < market.min_lot:
            return False
        if self.is_limit_reached():  # if limits
            return False
        self.side = side
        number, entered = bar.number, bar.time
        if moment == "close":  # the next bar is the first that its levels hold for
            number, entered = bar.number + 1, bar.closes
        first_target = (min(ahead) if side > 0 else max(ahead)) if ahead else None
        lot = Lot(
            order.name, number, entered, mid, price, units, units, risk, mid, mid,
            self.fee(units, price), half * units * market.point_value, slip * units * market.point_value,
            units * margin_per_unit, first_stop, first_target, stop, target, kind,
        )
        lot.days = self.days - 1  # if days or asks
        lot.inside = bar.number if moment == "inside" else -1  # if resting
        lot.goals = goals  # if parts
        lot.trail, lot.trail_once = trail, trail_once  # if trail
        lot.follow_once = follow_once  # if follow
        lot.even_once, lot.even_plus = even_once, even_plus  # if even
        self.lots.append(lot)
        for key, resting in sorted(self.resting.items()):  # if resting
            if isinstance(resting.order, Enter) and resting.side == -side:
                self.follow_opposite(key)
        self.entries_today += 1  # if limits
        if self.is_limit_reached():  # if resting and limits
            self.drop_entries()
        if len(self.lots) >= self.strategy.room:  # if resting
            self.resting = {key: order for key, order in self.resting.items() if order.is_exit or order.side != side}
        return True

    def leave_all(self, mid: float, reason: str, moment: str, slips: bool = True) -> None:
        for lot in list(self.lots):
            self.leave(lot, mid, reason, moment, slips)

    def take(self, order: Exit, mid: float, moment: str, slips: bool = True) -> None:
        """What an exit rule takes of the lots that it is for."""
        for lot in list(self.lots):
            self.leave(lot, mid, order.name, moment, slips)  # if not partial
            if order.lots in ("", lot.name):  # if partial
                self.leave(lot, mid, order.name, moment, slips, order.take)

    def is_for_a_lot(self, order: Exit) -> bool:  # if resting
        return bool(self.lots)  # if not partial
        return any(order.lots in ("", lot.name) for lot in self.lots)  # if partial

    def next_target(self, lot: Lot) -> float | None:
        return lot.target  # if not parts
        ahead = [level for level, _ in lot.goals] + ([] if lot.target is None else [lot.target])  # if parts
        return None if not ahead else min(ahead) if self.side > 0 else max(ahead)  # if parts

    def is_at_target(self, lot: Lot, price: float) -> bool:
        target = self.next_target(lot)
        return target is not None and (price - target) * self.side >= 0

    def take_target(self, lot: Lot, mid: float | None, moment: str) -> None:
        """Targets pay no slippage."""
        if mid is None:
            return
        goal = next((goal for goal in lot.goals if goal[0] == self.next_target(lot)), None)  # if parts
        if goal and self.next_target(lot) != lot.target:  # if parts
            lot.goals.remove(goal)
            self.leave(lot, mid, "target", moment, slips=False, percent=goal[1])
            return
        self.leave(lot, mid, "target", moment, slips=False)

    def leave(
        self, lot: Lot, mid: float, reason: str, moment: str, slips: bool = True, percent: float = 100.0
    ) -> None:
        """Close a lot, or a percent of its first units; what reaches 100 percent takes all that is left."""
        units = lot.units
        lot.taken += percent
        if lot.taken < 100 - 1e-9:
            part = self.in_lots(lot.first_units * percent / 100)
            if part <= 0:
                return
            units = min(units, part)
        share, side, bar, value = units / lot.units, self.side, self.bar, self.market.point_value
        half, slip = self.spread_paid(-side, mid), self.settings.slippage_ticks * self.market.tick if slips else 0.0
        price = mid - side * (half + slip)
        gross = (mid - lot.mid) * side * units * value
        commission = lot.fee * share + self.fee(units, price)
        spread, slippage = lot.spread * share + half * units * value, lot.slippage * share + slip * units * value
        financing = lot.financing * share
        costs = (commission, spread, slippage, financing)
        net = gross - commission - spread - slippage - financing
        if abs(net) < 1e-9 * (abs(gross) + sum(map(abs, costs))):
            net = 0.0
        self.earned += net
        high, low = max(lot.high, mid), min(lot.low, mid)
        best, worst = ((end - lot.mid) * side * units * value for end in ((high, low) if side > 0 else (low, high)))
        risk, notional = lot.risk * units * value, units * lot.price * value
        percent_of_notional = net / notional * 100 if notional else None
        in_risks = [amount / risk if risk else None for amount in (net, best, worst)]
        self.trades.append(Trade(
            len(self.trades) + 1, self.market.symbol, "long" if side > 0 else "short",
            time_text(lot.entered), lot.price, lot.name,
            time_text(bar.closes if moment == "close" else bar.time), price, units, reason,
            gross, commission, spread, slippage, financing, net, percent_of_notional, in_risks[0],
            best, worst, in_risks[1], in_risks[2], bar.number - lot.bar + (moment != "open"),
            lot.first_stop, lot.first_target, self.earned,
        ))
        if share == 1:
            self.lots.remove(lot)
        else:
            for name in ("fee", "spread", "slippage", "financing", "margin", "profit"):
                setattr(lot, name, getattr(lot, name) * (1 - share))
            lot.units -= units
        if not self.lots:
            self.side, self.exit_due = 0, ""
            self.parts_due = []  # if partial
            self.resting = {key: order for key, order in self.resting.items() if not order.is_exit}  # if resting
        self.losses_today += net < 0  # if limits
        if self.is_limit_reached():  # if resting and limits
            self.drop_entries()
        stopped = reason in ("stop", "trail", "breakeven")  # if pause
        pauses = [self.strategy.pause_after_exit]  # if pause
        pauses += [self.strategy.pause_after_stop] if stopped else []  # if pause
        pauses += [self.strategy.pause_after_loss] if net < 0 else []  # if pause
        self.paused_until = max(self.paused_until, bar.number + max(pauses))  # if pause

    def equity(self) -> float:
        """Cash after the fills so far, and the profit of what is open at the last close."""
        return self.earned + sum(lot.profit - lot.fee - lot.financing for lot in self.lots)

    def in_lots(self, units: float) -> float:
        """Rounded down to whole lot steps."""
        step = self.market.lot_step
        return math.floor(units / step * (1 + 1e-12) + 1e-9) * step

    def fee(self, units: float, price: float) -> float:
        settings = self.settings
        paid = settings.commission_percent / 100 * units * price * self.market.point_value
        paid += settings.commission_per_unit * units + settings.commission_per_order
        return max(paid, settings.commission_minimum)

    def spread_paid(self, direction: int, mid: float) -> float:
        """Half the spread against a mid price; on bids the whole spread where it buys."""
        market = self.market
        spread = self.bar.columns.get("spread", market.spread)  # if not spread_by_hour
        spread = self.bar.columns.get("spread", market.spread_by_hour[self.bar.opens_minute // 60 % 24])  # if spread_by_hour
        if market.spread_unit == "ticks":
            spread *= market.tick
        elif market.spread_unit == "percent":
            spread *= mid / 100
        if market.quotes_are_bids:
            return spread if direction > 0 else 0.0
        return spread / 2


def time_text(moment: int) -> str:
    """A moment as ISO 8601 in UTC."""
    return datetime.fromtimestamp(moment, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
