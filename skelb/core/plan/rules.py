# mypy: disable-error-code="no-untyped-def"
"""The rules of a checked script to arrays the engine runs on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import TypeVar

import numpy as np
from numba import njit
from numpy.typing import NDArray

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue import YES, Conditions, raw_spread
from skelb.core.errors import SettingsError
from skelb.core.language import Checked
from skelb.core.language.tree import (
    Breakeven,
    Dates,
    Distance,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Limit,
    Months,
    Opposite,
    Pause,
    Protect,
    Rule,
    Side,
    Size,
    Trail,
    Window,
)
from skelb.core.plan.columns import (
    COLUMN_COUNT,
    COLUMNS_PER_SIDE,
    NIGHTS_COLUMN,
    SPREAD_COLUMN,
    Block,
    Column,
    Flag,
    OppositeMode,
    OrderForm,
    SizeForm,
)
from skelb.core.plan.dataset import Dataset
from skelb.core.plan.expressions import Expressions, InputValue
from skelb.core.plan.holding import TimeExits, limits_of, time_exits
from skelb.core.plan.moving import lay_moving_levels, no_units
from skelb.core.plan.refusals import refuse_unexecuted
from skelb.core.plan.resting import Resting, resting_orders
from skelb.core.plan.watching import Watched, asks_position, watched_exits

R = TypeVar("R")

SIDES: tuple[Side, Side] = ("long", "short")
_FORMS = {"units": SizeForm.UNITS, "cash": SizeForm.CASH, "percent": SizeForm.PERCENT,
          "risk_percent": SizeForm.RISK_PERCENT, "risk_cash": SizeForm.RISK_CASH}  # fmt: skip
_NONE = np.zeros(1, np.uint8)
NO_RULE = 255  # no rule but those whose orders rest is yes on the bar


@dataclass(frozen=True)
class NamedRule:
    """An entry or exit rule as results name it: its `named` text, else its condition as written."""

    side: Side | None
    name: str
    line_start: int


@dataclass(frozen=True, eq=False)
class Plan:
    """Everything the engine needs to run, account apart. n is the number of bars of the dataset.

    flags : uint8, shape (n,), bits of `Flag`
    blocks : uint8, shape (n,), `Block` where the BLOCKED bit is set
    columns : COLUMN_COUNT float64 arrays of shape (n,) or, where constant, (1,): `Column` of long, of short,
        spread, nights
    entry_rules, exit_rules : per side uint8 of shape (n,) or (1,): which rule is yes first on each bar
    """

    dataset: Dataset
    expressions: Expressions
    first: int
    last: int
    flags: NDArray[np.uint8]
    blocks: NDArray[np.uint8]
    columns: tuple[Floats, ...]
    entry_rules: tuple[NDArray[np.uint8], NDArray[np.uint8]]
    exit_rules: tuple[NDArray[np.uint8], NDArray[np.uint8]]
    size_forms: NDArray[np.int64]
    opposite: OppositeMode
    time_exits: tuple[TimeExits, TimeExits]
    entry_orders: NDArray[np.int64]
    exit_orders: NDArray[np.int64]
    moving_units: NDArray[np.int64]
    is_moving: bool
    limits: Floats
    resting: Resting
    watched: Watched
    entries: tuple[NamedRule, ...]
    exits: tuple[NamedRule, ...]
    inverted: bool = False


def make_plan(
    checked: Checked,
    dataset: Dataset,
    inputs: Mapping[str, InputValue],
    sides: str = "both",
    from_date: date | None = None,
    to_date: date | None = None,
    inverted: bool = False,
) -> Plan:
    """The plan of a sound script with every input's value, for the trading days from the first to the last date.

    `inverted` exchanges the sides of all rules and mirrors levels at a price about the fill, for a test.
    Raises SettingsError when inputs make a length impossible, pips are used on a market without, or no trading
    day lies between the dates, or a rule is one that this engine does not execute.
    """
    refuse_unexecuted(checked)
    return _Planner(checked, dataset, inputs, sides, inverted).plan(*_span(dataset, from_date, to_date))


def _span(dataset: Dataset, from_date: date | None, to_date: date | None) -> tuple[int, int]:
    day = dataset.calendar.day
    epoch = date(1970, 1, 1)
    first = 0 if from_date is None else int(np.searchsorted(day, (from_date - epoch).days, "left"))
    end = len(dataset) if to_date is None else int(np.searchsorted(day, (to_date - epoch).days, "right"))
    if end <= first:
        raise SettingsError(
            f"{dataset.market.symbol} has no bars from {from_date or 'its start'} to {to_date or 'its end'}"
        )
    return first, end - 1


class _Planner:
    """The work of making one plan."""

    def __init__(
        self, checked: Checked, dataset: Dataset, inputs: Mapping[str, InputValue], sides: str, inverted: bool
    ) -> None:
        self.dataset = dataset
        self.calendar = dataset.calendar
        self.market = dataset.market
        self.expressions = Expressions(checked, inputs, dataset)
        self.checked = checked
        self.sides = sides
        self.inverted = inverted
        self.zone = checked.zone
        self.size = len(dataset)
        self.rules: list[tuple[Rule, str, int]] = []
        for placed in checked.statements:
            statement = placed.statement
            if isinstance(statement, Rule) and self._exists(getattr(statement, "only_if", None)):
                self.rules.append((_turned(statement) if inverted else statement, placed.text, placed.start))

    def _exists(self, only_if: Expression | None) -> bool:
        return only_if is None or self.expressions.constant(only_if) == YES

    def of_kind(self, kind: type[R]) -> list[R]:
        """The rules of one kind, in text order."""
        return [rule for rule, _, _ in self.rules if isinstance(rule, kind)]

    def plan(self, first: int, last: int) -> Plan:
        flags = np.zeros(self.size, np.uint8)
        blocks = np.zeros(self.size, np.uint8)
        entry_rules, entries = self._entries(flags)
        exit_rules, exits = self._exits(flags)
        _drop_contradicted(flags)
        self._windows(flags, blocks)
        self._flats(flags, blocks)
        columns, forms = self._columns(entry_rules, entries)
        moving: list[Trail | Breakeven] = [*self.of_kind(Trail), *self.of_kind(Breakeven)]
        units = no_units()
        for offset, side in zip((0, COLUMNS_PER_SIDE), SIDES, strict=True):
            lay_moving_levels(columns, offset, units, side, moving, self._amount)
        if self.market.financing_long or self.market.financing_short:
            flags[self.calendar.starts_day] |= np.uint8(Flag.NIGHT)
            columns[NIGHTS_COLUMN] = self._nights()
        modes = [OppositeMode[rule.mode.upper()] for rule in self.of_kind(Opposite)]
        return Plan(
            self.dataset, self.expressions, first, last, flags, blocks, tuple(columns), entry_rules, exit_rules,
            forms, modes[-1] if modes else OppositeMode.REVERSE, self._time_exits(), _orders([rule for _, rule in entries]),
            _orders(self.of_kind(Exit)), units, bool(moving),
            limits_of(self.of_kind(Limit), self.of_kind(Pause), self.expressions.constant),
            self._resting(flags, [rule for _, rule in entries]),
            watched_exits(self.of_kind(Exit), self.checked, self.expressions.number, self.expressions.value, self.size),
            tuple(name for name, _ in entries), tuple(exits), self.inverted,
        )  # fmt: skip

    # --- signals -----------------------------------------------------------------------------------------------

    def _entries(
        self, flags: NDArray[np.uint8]
    ) -> tuple[tuple[NDArray[np.uint8], NDArray[np.uint8]], list[tuple[NamedRule, Enter]]]:
        found: list[tuple[NamedRule, Enter]] = []
        which = []
        for side, bit in zip(SIDES, (Flag.ENTER_LONG, Flag.ENTER_SHORT), strict=True):
            signals: list[tuple[int, Conditions]] = []
            waiting: list[tuple[int, Conditions]] = []
            for rule, text, start in self.rules:
                if isinstance(rule, Enter) and rule.side == side and self.sides in ("both", side):
                    rests = rule.order.form in ("limit", "stop")
                    (waiting if rests else signals).append((len(found), self.expressions.of(rule.when)))
                    found.append((NamedRule(side, rule.named or _as_written(rule.when, text), start), rule))
            which.append(self._first_yes(flags, bit, signals, waiting))
        return (which[0], which[1]), found

    def _exits(self, flags: NDArray[np.uint8]) -> tuple[tuple[NDArray[np.uint8], NDArray[np.uint8]], list[NamedRule]]:
        found: list[NamedRule] = []
        signals: dict[Side, list[tuple[int, Conditions]]] = {"long": [], "short": []}
        for rule, text, start in self.rules:
            if isinstance(rule, Exit):
                watched = asks_position(rule.when, self.checked)
                for side in SIDES if rule.side is None else (rule.side,):
                    if not watched:
                        signals[side].append((len(found), self.expressions.of(rule.when)))
                found.append(NamedRule(rule.side, rule.named or _as_written(rule.when, text), start))
        long = self._first_yes(flags, Flag.EXIT_LONG, signals["long"])
        short = self._first_yes(flags, Flag.EXIT_SHORT, signals["short"])
        return (long, short), found

    def _first_yes(
        self,
        flags: NDArray[np.uint8],
        bit: int,
        signals: list[tuple[int, Conditions]],
        waiting: Sequence[tuple[int, Conditions]] = (),
    ) -> NDArray[np.uint8]:
        """Raise `bit` where any signal is yes; which of `signals` was the first, shape (n,) or (1,).

        `waiting` are those of rules whose orders rest: they raise the bit too, and where none of the others is yes
        the rule is NO_RULE.
        """
        for _, condition in (*signals, *waiting):
            _raise_flag(flags, condition, np.uint8(bit))
        if not signals:
            return np.array([NO_RULE], np.uint8) if waiting else _NONE
        if len(signals) == 1 and not waiting:
            return np.array([signals[0][0]], np.uint8)
        which = np.full(self.size, NO_RULE if waiting else 0, np.uint8)
        for index, condition in reversed(signals):
            which[np.broadcast_to(condition == YES, self.size)] = index
        return which

    def _resting(self, flags: NDArray[np.uint8], entries: list[Enter]) -> Resting:
        """The entries whose orders rest; one whose side's exit rule is yes does not happen."""

        def signal(rule: Enter) -> NDArray[np.uint8]:
            leaving = flags & np.uint8(Flag.EXIT_LONG if rule.side == "long" else Flag.EXIT_SHORT)
            return ((self.expressions.whole(rule.when) == YES) & (leaving == 0)).astype(np.uint8)

        sizes = [self._size_of(rule) for rule in entries]
        return resting_orders(entries, self.size, signal, self.expressions.of, self.expressions.constant, sizes)

    def _size_of(self, rule: Enter) -> tuple[Floats, Floats]:
        """A rule's size in its own form, and the most units."""
        common = self.of_kind(Size)
        size = rule.size or (common[-1] if common else None)
        amount = np.array([100.0]) if size is None else self.expressions.of(size.amount)
        most = None if size is None else size.most
        return amount, np.array([np.inf]) if most is None else self.expressions.of(most)

    # --- when entries are allowed ------------------------------------------------------------------------------

    def _windows(self, flags: NDArray[np.uint8], blocks: NDArray[np.uint8]) -> None:
        allowed: Bools | None = None
        windows, months = self.of_kind(Window), self.of_kind(Months)
        if windows:
            allowed = np.logical_or.reduce([self._inside(window) for window in windows])
        if months:
            named = sorted({month for rule in months for month in rule.months})
            of_bar = self.calendar.day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
            within = np.isin(of_bar, named)
            allowed = within if allowed is None else allowed & within
        dates = self.of_kind(Dates)
        if dates:
            day = self.calendar.day
            within = np.logical_or.reduce([(day >= rule.first) & (day <= rule.last) for rule in dates])
            allowed = within if allowed is None else allowed & within
        if allowed is not None:
            flags[~allowed] |= np.uint8(Flag.BLOCKED)
            blocks[~allowed] = Block.WINDOW

    def _inside(self, window: Window) -> Bools:
        inside = np.ones(self.size, np.bool_)
        if window.days:
            inside = np.isin(self.calendar.weekday, window.days)
        if window.times:
            clock = self.calendar.close_minute if self.zone is None else self.calendar.close_minute_in(self.zone)
            ranges = []
            for start, end in window.times:
                low, high = self.expressions.constant(start), self.expressions.constant(end)
                after, before = clock >= low, clock < high
                ranges.append(after | before if high <= low else after & before)
            inside &= np.logical_or.reduce(ranges)
        return inside

    def _flats(self, flags: NDArray[np.uint8], blocks: NDArray[np.uint8]) -> None:
        calendar = self.calendar
        new_day = calendar.starts_day.copy()
        new_day[:1] = False
        for rule in self.of_kind(Flat):
            if rule.until == "week":
                new_week = np.concatenate(([False], calendar.week[1:] != calendar.week[:-1]))[: self.size]
                self._raise_flat(flags, blocks, new_week, calendar.ends_week, calendar.ends_week)
            elif rule.at is None:
                self._raise_flat(flags, blocks, new_day, calendar.ends_day, calendar.ends_day)
            else:
                opens_after, closes_after = self._after(self.expressions.constant(rule.at))
                self._raise_flat(flags, blocks, new_day | opens_after, calendar.ends_day, closes_after)

    def _after(self, clock: float) -> tuple[Bools, Bools]:
        """Which bars open, and which close, at or after a time of the script's zone on their trading day."""
        calendar = self.calendar
        if self.zone is None:
            at = self._trading_minute(clock)
            return calendar.open_minute >= at, calendar.close_day_minute >= at
        begins = calendar.close_time - calendar.session_minute * 60
        moment = calendar.first_moment(begins, clock, self.zone)
        opens = begins if self.dataset.bars.dated else self.dataset.bars.time
        return opens >= moment, calendar.close_time >= moment

    def _trading_minute(self, clock: float) -> float:
        """A clock time in minutes from the trading day's midnight, for sessions that cross midnight too."""
        start, end = self.market.ranges[0].start, self.market.ranges[-1].end
        if start < 0 and clock >= start + 1440:
            return clock - 1440
        if end > 1440 and clock < start:
            return clock + 1440
        return clock

    def _raise_flat(
        self, flags: NDArray[np.uint8], blocks: NDArray[np.uint8], at_open: Bools, at_close: Bools, blocked: Bools
    ) -> None:
        flags[at_open] |= np.uint8(Flag.FLAT_OPEN)
        flags[at_close] |= np.uint8(Flag.FLAT_CLOSE)
        blocks[blocked & (blocks == Block.NONE)] = Block.FLAT
        flags[blocked] |= np.uint8(Flag.BLOCKED)

    def _nights(self) -> Floats:
        """Nights of financing due at each open: 1, or 3 after the market's triple day."""
        before = np.concatenate((self.calendar.weekday[:1], self.calendar.weekday[:-1]))
        triple = self.market.triple_day
        days = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
        return np.where(before == days.index(triple), 3.0, 1.0) if triple else np.ones(1)

    # --- levels and sizes --------------------------------------------------------------------------------------

    def _columns(
        self,
        entry_rules: tuple[NDArray[np.uint8], NDArray[np.uint8]],
        entries: list[tuple[NamedRule, Enter]],
    ) -> tuple[list[Floats], NDArray[np.int64]]:
        columns: list[Floats] = [np.array([np.inf])] * COLUMN_COUNT
        forms = np.zeros(max(1, len(entries)), np.int64)
        for offset, side, which in zip((0, COLUMNS_PER_SIDE), SIDES, entry_rules, strict=True):
            self._levels(columns, offset, side)
            self._sizes(
                columns,
                offset,
                which,
                forms,
                [(i, rule) for i, (_, rule) in enumerate(entries) if rule.side == side],
            )
        spread = raw_spread(self.dataset.frame)
        columns[SPREAD_COLUMN] = spread * self.market.tick if self.market.spread_unit == "ticks" else spread
        columns[NIGHTS_COLUMN] = np.zeros(1)
        return columns, forms

    def _levels(self, columns: list[Floats], offset: int, side: Side) -> None:
        """The distances and prices of a side's stops and targets; a sided rule replaces an unsided one."""
        for kind in ("stop", "target"):
            rules = [rule for rule in self.of_kind(Protect) if rule.kind == kind and rule.side in (None, side)]
            sided = [rule for rule in rules if rule.side == side]
            nearer_high = ((kind == "stop") == (side == "long")) != self.inverted  # prices are mirrored at the fill
            at = offset + (Column.STOP_AT if kind == "stop" else Column.TARGET_AT)
            columns[at] = np.array([-np.inf if nearer_high else np.inf])
            for rule in sided or rules:
                value, unit = self._amount(rule.distance), rule.distance.unit
                if unit == "at":
                    columns[at] = _joined(columns[at], value, np.maximum if nearer_high else np.minimum)
                    continue
                slot = offset + _slot(kind, unit)
                columns[slot] = _joined(columns[slot], value, np.minimum)

    def _amount(self, distance: Distance) -> Floats:
        """A distance's number, pips, ticks and cash in price units."""
        value, scale = self.expressions.of(distance.amount), self._price_units(distance.unit)
        return value if scale == 1.0 else value * scale

    def _time_exits(self) -> tuple[TimeExits, TimeExits]:
        rules, constant = self.of_kind(ExitAfter), self.expressions.constant
        return time_exits(rules, "long", constant), time_exits(rules, "short", constant)

    def _price_units(self, unit: str) -> float:
        """What one of `unit` is in price units (1 for percent and R, which have columns of their own)."""
        if unit == "pips":
            if self.market.pip is None:
                raise SettingsError(f"{self.market.symbol} has no pips: write the distance in ticks or points")
            return self.market.pip
        if unit == "ticks":
            return self.market.tick
        if unit == "cash":
            return 1.0 / (self.market.point_value * self.market.currency_rate)
        return 1.0

    def _sizes(
        self,
        columns: list[Floats],
        offset: int,
        which: NDArray[np.uint8],
        forms: NDArray[np.int64],
        entries: list[tuple[int, Enter]],
    ) -> None:
        amounts, mosts = [], []
        common = self.of_kind(Size)
        for index, rule in entries:
            size = rule.size or (common[-1] if common else None)
            forms[index] = SizeForm.PERCENT if size is None else _FORMS[size.form]
            amount, most = self._size_of(rule)
            amounts.append((index, amount))
            mosts.append((index, most))
        columns[offset + Column.SIZE] = self._by_rule(which, amounts)
        columns[offset + Column.MOST] = self._by_rule(which, mosts)

    def _by_rule(self, which: NDArray[np.uint8], values: list[tuple[int, Floats]]) -> Floats:
        if not values:
            return np.array([np.nan])
        if which.size == 1:
            return next((value for index, value in values if index == which[0]), values[0][1])
        out = np.full(self.size, np.nan)
        for index, value in values:
            here = which == index
            out[here] = value[0] if value.size == 1 else value[here]
        return out


def _turned(rule: Rule) -> Rule:
    """The rule with its side exchanged."""
    if not isinstance(rule, (Enter, Exit, ExitAfter, Protect, Trail, Breakeven)) or rule.side is None:
        return rule
    other: Side = "short" if rule.side == "long" else "long"
    return replace(rule, side=other)


def _orders(rules: Sequence[Enter | Exit]) -> NDArray[np.int64]:
    """`OrderForm` of each rule, at least one element."""
    forms = [OrderForm.CLOSE if rule.order.form == "close" else OrderForm.MARKET for rule in rules]
    return np.array(forms or [OrderForm.MARKET], np.int64)


def _slot(kind: str, unit: str) -> int:
    if kind == "stop":
        return Column.STOP_PERCENT if unit == "percent" else Column.STOP_PRICE
    return {"percent": Column.TARGET_PERCENT, "R": Column.TARGET_R}.get(unit, Column.TARGET_PRICE)


def _joined(held: Floats, value: Floats, join: np.ufunc) -> Floats:
    """Several levels of one unit are one: the nearest counts. A held infinity stands for none yet."""
    return value if held.size == 1 and np.isinf(held[0]) else join(held, value)


def _as_written(node: Expression, text: str) -> str:
    return " ".join(text[node.span[0] : node.span[1]].split())


@njit(cache=True, nogil=True)
def _raise_flag(flags, condition, bit):
    if condition.size == 1:
        if condition[0] == 2:
            for i in range(flags.size):
                flags[i] |= bit
        return
    for i in range(flags.size):
        flags[i] |= bit if condition[i] == 2 else np.uint8(0)


@njit(cache=True, nogil=True)
def _drop_contradicted(flags):
    # An entry whose side's exit rule is yes on the same bar does not happen: the enter bits (1, 2) are cleared
    # where the exit bits (4, 8) stand two places higher.
    for i in range(flags.size):
        flags[i] &= np.uint8(~((flags[i] >> 2) & 3))
