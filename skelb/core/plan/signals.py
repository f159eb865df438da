# mypy: disable-error-code="no-untyped-def"
"""Entry and exit rules to flags, rows of signals, and the tables that say what each rule does."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from skelb.core.bars import Floats
from skelb.core.catalogue import YES, Conditions
from skelb.core.errors import SettingsError
from skelb.core.language.tree import Enter, Exit, Expression, Order, Side
from skelb.core.plan.columns import RULE_COLUMNS, Flag, OrderForm, RuleColumn
from skelb.core.plan.levels import Levels, share_of, size_form
from skelb.core.plan.terms import SIDE_BITS, SIDES, Stated, Terms
from skelb.core.plan.watching import Made, asks_position

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


@dataclass(frozen=True, eq=False)
class Signals:
    """e entry rules, x exit rules, s rows of signals, n bars.

    entries : int64, shape (e, 6): side (1, -1), `OrderForm`, life in bars, `SizeForm`, row, program
    exits : int64, shape (x, 6): sides (1 long, 2 short, 3 both), `OrderForm`, life in bars, 1 when it closes all lots
        of its side, row, program
    exit_lots : uint8, shape (x, e): whether an exit is for the lots of an entry rule
    exit_shares : float64, shape (x,): percent of a lot's first units that it takes
    rows : uint8, shape (s, n): 1 where a rule is yes, for rules whose row is not BY_FLAG
    """

    entries: NDArray[np.int64]
    exits: NDArray[np.int64]
    exit_lots: NDArray[np.uint8]
    exit_shares: Floats
    rows: NDArray[np.uint8]
    entry_names: tuple[NamedRule, ...]
    exit_names: tuple[NamedRule, ...]


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


def lay_signals(terms: Terms, levels: Levels, flags: NDArray[np.uint8]) -> Signals:
    """Raise the flags of entries and exits and lay out the rules; prices of orders that rest go into their columns.

    Raises SettingsError on a life or a part that cannot be.
    """
    entries = [rule for _, rule in entry_rules(terms)]
    exits = [rule for _, rule in exit_rules(terms)]
    first_price = RULE_COLUMNS + len(RuleColumn) * len(entries)
    rows: list[NDArray[np.uint8]] = []

    exit_table = np.zeros((len(exits), 6), np.int64)
    exit_lots = np.ones((len(exits), len(entries)), np.uint8)
    shares = np.array([share_of(terms, rule.take) for rule in exits], np.float64)
    alone = {side: sum(_raises_flag(rule, side, terms) for rule in exits) == 1 for side in SIDES}
    for index, rule in enumerate(exits):
        form = _form(rule.order)
        if rule.lots is not None:
            exit_lots[index] = [entry.named == rule.lots for entry in entries]
        whole = shares[index] >= 100.0 and rule.lots is None and not form.rests
        row, program = BY_FLAG, -1
        if asks_position(rule.when, terms.checked):
            program = terms.watching.add(rule.when, Made.ASKED)
        else:
            sides = SIDES if rule.side is None else (rule.side,)
            if not form.rests:
                for side in sides:
                    _raise_flag(flags, terms.expressions.of(rule.when), np.uint8(_EXIT[side]))
            if form.rests or not all(alone[side] for side in sides):
                row = len(rows)
                rows.append(_signal(terms, rule.when))
        exit_table[index] = SIDE_BITS[rule.side], form, _life(terms, rule.order), whole, row, program
        _lay_price(terms, levels, rule.order, first_price + index, Made.BEFORE_EXITS)

    entry_table = np.zeros((len(entries), 6), np.int64)
    static = {side: [rule for rule in entries if rule.side == side and not asks_position(rule.when, terms.checked)]
              for side in SIDES}  # fmt: skip
    for index, entry in enumerate(entries):
        row, program = BY_FLAG, -1
        if asks_position(entry.when, terms.checked):
            program = terms.watching.add(entry.when, Made.ASKED)
        else:
            _raise_flag(flags, terms.expressions.of(entry.when), np.uint8(_ENTER[entry.side]))
            if len(static[entry.side]) > 1:
                row = len(rows)
                rows.append(_signal(terms, entry.when) * ((flags & np.uint8(_EXIT[entry.side])) == 0))
        entry_table[index] = (
            1 if entry.side == "long" else -1,
            _form(entry.order),
            _life(terms, entry.order),
            size_form(terms, entry),
            row,
            program,
        )
        _lay_price(terms, levels, entry.order, levels.price_of_entry(index), Made.BEFORE_ENTRIES)
    _drop_contradicted(flags)
    return Signals(
        entry_table,
        exit_table,
        exit_lots,
        shares,
        np.array(rows, np.uint8).reshape(len(rows), len(terms.dataset)),
        tuple(_named(stated, entry) for stated, entry in entry_rules(terms)),
        tuple(_named(stated, rule) for stated, rule in exit_rules(terms)),
    )


def _raises_flag(rule: Exit, side: Side, terms: Terms) -> bool:
    """Whether a side's exit flag stands for a rule: one that does not rest and does not ask for the position."""
    return rule.side in (None, side) and not _form(rule.order).rests and not asks_position(rule.when, terms.checked)


def _signal(terms: Terms, when: Expression) -> NDArray[np.uint8]:
    return (terms.expressions.whole(when) == YES).astype(np.uint8)


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
    if asks_position(order.price, terms.checked):
        terms.watching.add(order.price, made, column)
    else:
        levels.columns[column] = terms.expressions.of(order.price)


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
