"""Entry and exit rules to flags, rows of signals, and the tables that say what each rule does."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.catalogue import YES, Conditions
from skelb.core.errors import SettingsError
from skelb.core.language.tree import Enter, Exit, Expression, Order, Side
from skelb.core.plan.columns import Flag, Made, OrderForm
from skelb.core.plan.expressions import Expressions
from skelb.core.plan.levels import Levels, share_of, size_form
from skelb.core.plan.terms import SIDE_BITS, SIDES, Stated, Terms
from skelb.core.stopping import part_of_work

_ENTER = {"long": Flag.ENTER_LONG, "short": Flag.ENTER_SHORT}
_EXIT = {"long": Flag.EXIT_LONG, "short": Flag.EXIT_SHORT}
BY_FLAG = -1  # the row of a rule that its side's flag says all about


@dataclass(frozen=True)
class NamedRule:
    """An entry or exit rule as results name it: its `named` text, else its condition as written.

    `text` is the statement's, which starts at `start` in the script; the spans of `when` are relative to it.
    """

    side: Side | None
    name: str
    start: int
    text: str
    when: Expression


@dataclass(frozen=True)
class Raise:
    """A condition, the flags that go up where it is yes, and whether it has a row too: 0 where a flag of `barred` is
    up."""

    when: Expression
    bits: tuple[Flag, ...]
    has_row: bool
    barred: int


@dataclass(frozen=True, eq=False)
class Signals:
    """e entry rules, x exit rules, s rows of signals, n bars.

    entries : int64, shape (e, 6): side (1, -1), `OrderForm`, life in bars, `SizeForm`, row, program
    exits : int64, shape (x, 6): sides (1 long, 2 short, 3 both), `OrderForm`, life in bars, 1 when it closes all lots
        of its side, row, program
    exit_lots : uint8, shape (x, e): whether an exit is for the lots of an entry rule
    exit_shares : float64, shape (x,): percent of a lot's first units that it takes
    raised : what the conditions raise, in this order; exits first
    """

    entries: NDArray[np.int64]
    exits: NDArray[np.int64]
    exit_lots: NDArray[np.uint8]
    exit_shares: Floats
    raised: tuple[Raise, ...]
    entry_names: tuple[NamedRule, ...]
    exit_names: tuple[NamedRule, ...]

    def asks_position(self, entry: int) -> bool:
        """Whether an entry rule's condition asks for the position."""
        return bool(self.entries[entry, 5] >= 0)


def entry_rules(terms: Terms) -> list[tuple[Stated, Enter]]:
    """The entry rules of the sides that are run, long ones first, each in text order."""
    return [
        (stated, stated.rule)
        for side in SIDES
        for stated in terms.stated
        if isinstance(stated.rule, Enter) and stated.rule.side == side and terms.sides in ("both", side)
    ]


def exit_rules(terms: Terms) -> list[tuple[Stated, Exit]]:
    """The exit rules in text order, time exits left out."""
    return [(stated, stated.rule) for stated in terms.stated if isinstance(stated.rule, Exit)]


def lay_signals(terms: Terms, levels: Levels) -> Signals:
    """The rules laid out; prices of orders that rest go into their columns.

    Raises SettingsError on a life or a part that cannot be.
    """
    entries, exits = entry_rules(terms), exit_rules(terms)
    raises = _Raises()
    exit_table = _lay_exits(terms, levels, [rule for _, rule in exits], len(entries), raises)
    entry_table = _lay_entries(terms, levels, [rule for _, rule in entries], raises)
    lots = [[rule.lots in (None, entry.named) for _, entry in entries] for _, rule in exits]
    return Signals(
        entry_table,
        exit_table,
        np.array(lots, np.uint8).reshape(len(exits), len(entries)),
        np.array([share_of(terms, rule.take) for _, rule in exits], np.float64),
        tuple(raises.steps),
        tuple(_named(stated, rule) for stated, rule in entries),
        tuple(_named(stated, rule) for stated, rule in exits),
    )


def raised(steps: Sequence[Raise], expressions: Expressions, size: int) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Flags, uint8, shape (n,), where the conditions of rules are yes; and rows, uint8, shape (s, n), 1 where those are
    that no flag says all about."""
    flags = np.zeros(size, np.uint8)
    rows: list[NDArray[np.uint8]] = []
    for place, step in enumerate(steps):
        with part_of_work(place / len(steps), (place + 1) / len(steps)):
            for bit in step.bits:
                _raise_flag(flags, expressions.of(step.when), np.uint8(bit))
            if step.has_row:
                row = (expressions.whole(step.when) == YES) & ((flags & np.uint8(step.barred)) == 0)
                rows.append(row.astype(np.uint8))
    _drop_contradicted(flags)
    return flags, np.array(rows, np.uint8).reshape(-1, size)


class _Raises:
    """Collects what conditions raise: their sides' flags, and rows of their own."""

    def __init__(self) -> None:
        self.steps: list[Raise] = []
        self._rows = 0

    def of(self, when: Expression, bits: Sequence[Flag], is_alone: bool, barred: int = 0) -> int:
        """Raise flags where a condition is yes; BY_FLAG when they say all about it, else its row's number."""
        self.steps.append(Raise(when, tuple(bits), not is_alone, barred))
        if is_alone:
            return BY_FLAG
        self._rows += 1
        return self._rows - 1


def _lay_exits(terms: Terms, levels: Levels, exits: list[Exit], entries: int, raises: _Raises) -> NDArray[np.int64]:
    table = np.zeros((len(exits), 6), np.int64)
    asking = [terms.asks_position(rule.when) for rule in exits]
    flagging = [not asks and not _form(rule.order).rests for asks, rule in zip(asking, exits, strict=True)]
    on_side = {side: sum(flags and rule.side in (None, side) for flags, rule in zip(flagging, exits, strict=True))
               for side in SIDES}  # fmt: skip
    for index, rule in enumerate(exits):
        row, program = BY_FLAG, -1
        sides = SIDES if rule.side is None else (rule.side,)
        if asking[index]:
            program = terms.watching.add(rule.when, Made.ASKED)
        elif flagging[index]:
            row = raises.of(rule.when, [_EXIT[side] for side in sides], all(on_side[side] == 1 for side in sides))
        else:
            row = raises.of(rule.when, (), False)
        form = _form(rule.order)
        whole = share_of(terms, rule.take) >= 100.0 and rule.lots is None and not form.rests
        table[index] = SIDE_BITS[rule.side], form, _life(terms, rule.order), whole, row, program
        _lay_price(terms, levels, rule.order, levels.price_of_exit(index, entries), Made.BEFORE_EXITS)
    return table


def _lay_entries(terms: Terms, levels: Levels, entries: list[Enter], raises: _Raises) -> NDArray[np.int64]:
    """After the exits: an entry whose side's exit flag is up does not happen."""
    table = np.zeros((len(entries), 6), np.int64)
    asking = [terms.asks_position(rule.when) for rule in entries]
    flagging = [rule.side for asks, rule in zip(asking, entries, strict=True) if not asks]
    for index, rule in enumerate(entries):
        row, program = BY_FLAG, -1
        if asking[index]:
            program = terms.watching.add(rule.when, Made.ASKED)
        else:
            row = raises.of(rule.when, [_ENTER[rule.side]], flagging.count(rule.side) == 1, _EXIT[rule.side])
        side = 1 if rule.side == "long" else -1
        life, size = _life(terms, rule.order), size_form(terms, rule)
        table[index] = side, _form(rule.order), life, size, row, program
        _lay_price(terms, levels, rule.order, levels.price_of_entry(index), Made.BEFORE_ENTRIES)
    return table


def _form(order: Order) -> OrderForm:
    return OrderForm[order.form.upper()]


def _life(terms: Terms, order: Order) -> int:
    life = 1.0 if order.bars is None else terms.expressions.constant(order.bars)
    if not (life >= 1 and life == int(life)):
        raise SettingsError(f"an order rests for a whole number of bars from 1; with these inputs it is {life:g}")
    return int(life)


def _lay_price(terms: Terms, levels: Levels, order: Order, column: int, made: Made) -> None:
    if order.price is None:
        return
    if terms.asks_position(order.price):
        terms.watching.add(order.price, made, column)
    else:
        levels.columns[column] = order.price


def _named(stated: Stated, rule: Enter | Exit) -> NamedRule:
    written = " ".join(stated.text[rule.when.span[0] : rule.when.span[1]].split())
    return NamedRule(rule.side, rule.named or written, stated.start, stated.text, rule.when)


@njit(cache=True, nogil=True)
def _raise_flag(flags: NDArray[np.uint8], condition: Conditions, bit: np.uint8) -> None:
    if condition.size == 1:
        if condition[0] == 2:
            for i in range(flags.size):
                flags[i] |= bit
        return
    for i in range(flags.size):
        flags[i] |= bit if condition[i] == 2 else np.uint8(0)


@njit(cache=True, nogil=True)
def _drop_contradicted(flags: NDArray[np.uint8]) -> None:
    # An entry whose side's exit rule is yes on the same bar does not happen: the enter bits (1, 2) are cleared
    # where the exit bits (4, 8) stand two places higher.
    for i in range(flags.size):
        flags[i] &= np.uint8(~((flags[i] >> 2) & 3))
