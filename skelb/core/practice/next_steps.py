"""What a strategy would do next: for each rule when it is judged, what would follow, and what its condition lacks."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from skelb.core.engine import Skip, run_basket
from skelb.core.engine.replay import Replay
from skelb.core.explain.reading import ConditionPart, Reader
from skelb.core.plan import NamedRule, Plan
from skelb.core.plan.columns import Flag, OrderForm
from skelb.core.practice.following import FollowedMarket, Following, price_text

_MOST_LACKS = 4
_SIGNIFICANT = 6  # digits of the numbers that a condition compares


@dataclass(frozen=True, slots=True)
class Lack:
    """A part of a condition that is not yes: as written, and what its sides are worth, as `16.4 against 18`."""

    text: str
    worth: str


@dataclass(frozen=True, slots=True)
class NextStep:
    """A rule at the close of the bar that forms, or of the next one.

    time : when it is judged, seconds since 1970 UTC; act : what follows if `name` is yes then
    holds : whether it is yes as things stand, None for unknown; lacks : what keeps it from being yes
    """

    kind: str
    side: str | None
    name: str
    time: int
    act: str
    holds: bool | None
    lacks: tuple[Lack, ...]


def next_steps(following: Following, place: int = 0) -> list[NextStep]:
    """Every rule's next step on one of the markets, entries first. Sizes and levels are those of the prices as they
    stand; the other markets' rules are asked as they stand."""
    own = following.markets[place]
    plan, bar = own.plan, own.now
    held = {1 if row["side"] > 0 else -1 for row in own.open_rows}
    replay = _replay(following, place, replace(plan, first=min(plan.first, bar)))
    moment = replay.at(max(bar, replay.plan.first))
    to_entries = Reader(following.checked, plan.expressions, plan.dataset, bar, moment.known_to_entries)
    to_exits = Reader(following.checked, plan.expressions, plan.dataset, bar, moment.known_to_exits)
    time = int(plan.dataset.calendar.close_time[own.closed])
    found = []
    for number, rule in enumerate(plan.entries):
        condition = to_entries.part(rule.when, rule.text)
        act = _entry_act(following, place, number, rule, held)
        found.append(_step("enter", rule, time, act, condition))
    for number, rule in enumerate(plan.exits):
        sides = [side for side in held if rule.side is None or (rule.side == "long") == (side > 0)]
        if not sides:
            continue
        condition = to_exits.part(rule.when, rule.text)
        found.append(_step("exit", rule, time, _exit_act(own, number, sides), condition))
    return found


def _step(kind: str, rule: NamedRule, time: int, act: str, condition: ConditionPart) -> NextStep:
    holds = condition.value if isinstance(condition.value, bool) else None
    lacks = tuple(_lack(part) for part in _stopping(condition))[:_MOST_LACKS] if holds is not True else ()
    return NextStep(kind, rule.side, rule.name, time, act, holds, lacks)


def _entry_act(following: Following, place: int, number: int, rule: NamedRule, held: set[int]) -> str:
    """What would follow if an entry rule alone were yes at the close: the engine is asked."""
    own = following.markets[place]
    plan, side = own.plan, 1 if rule.side == "long" else -1
    signals = plan.rules.signals.entries[number]
    if signals[5] >= 0:
        return "as its condition, which asks for the position, then has it"
    bar, market = own.closed, plan.dataset.market
    outcome = run_basket(_together(following, place, _if_yes(plan, number, bar)), following.account)[place]
    later = outcome.trades.rows
    form = OrderForm(int(signals[1]))
    mine = later[(later["entry_rule"] == number) & (later["entry_bar"] == bar + 1)]
    first = "; the short is bought back first" if side > 0 else "; the long is sold first"
    first = first if -side in held else ""
    if mine.size:
        row = mine[0]
        words = ["buy" if side > 0 else "sell", f"{mine['units'].sum():g}"]
        words.append("at this close" if form == OrderForm.CLOSE else "at the next open")
        text = " ".join(words)
        for name, way in (("stop", -side), ("target", side)):
            if np.isfinite(row[name]):
                text += f", {name} {price_text(abs(float(row[name]) - float(row['entry_mid'])), market)}"
                text += " above" if way > 0 else " below"
        return text + first
    if form >= OrderForm.LIMIT:
        resting = _replay(following, place, _if_yes(plan, number, bar)).at(bar).resting
        order = next((item for item in resting if not item.is_exit and item.rule == number), None)
        if order is not None:
            kind = "limit" if form == OrderForm.LIMIT else "stop"
            verb = "buy" if side > 0 else "sell"
            return f"an order to {verb} at {kind} {price_text(order.price, market)} rests"
    skipped = outcome.skips[(outcome.skips["bar"] >= bar) & (outcome.skips["side"] == side)]
    if skipped.size:
        return f"nothing: held back by {Skip(int(skipped[0]['reason'])).word}"
    return "nothing: already in a position" if side in held else "nothing as things stand"


def _together(following: Following, place: int, plan: Plan) -> list[Plan]:
    """The plans of all markets, with another for one of them."""
    return [plan if k == place else market.plan for k, market in enumerate(following.markets)]


def _replay(following: Following, place: int, plan: Plan) -> Replay:
    return Replay(plan, following.account, _together(following, place, plan))


def _if_yes(plan: Plan, number: int, bar: int) -> Plan:
    """The plan with one entry rule yes at the close of a bar and every other rule no there."""
    flags, rows = plan.flags.copy(), plan.rows.copy()
    table = plan.rules.signals.entries
    flags[bar] &= ~np.uint8(Flag.ENTER_LONG | Flag.ENTER_SHORT | Flag.EXIT_LONG | Flag.EXIT_SHORT)
    flags[bar] |= np.uint8(Flag.ENTER_LONG if table[number, 0] > 0 else Flag.ENTER_SHORT)
    if rows.size:
        rows[:, bar] = 0
        if table[number, 4] >= 0:
            rows[table[number, 4], bar] = 1
    return replace(plan, flags=flags, rows=rows, last=bar + 1)


def _exit_act(own: FollowedMarket, number: int, sides: list[int]) -> str:
    rule = own.plan.rules.signals.exits[number]
    units = sum(float(row["units"]) for row in own.open_rows if (row["side"] > 0) == (sides[0] > 0))
    whole = bool(rule[3])
    what = f"sell {units:g}" if sides[0] > 0 else f"buy {units:g} back"
    form = OrderForm(int(rule[1]))
    when = (
        {OrderForm.CLOSE: "at this close"}.get(form, "at the next open") if form < OrderForm.LIMIT else "at its price"
    )
    return f"{what} {when}" if whole else f"a part of it leaves {when}"


def _stopping(part: ConditionPart) -> Iterator[ConditionPart]:
    """The innermost parts that keep a condition from being yes, in the order they are written."""
    inner = [child for child in part.parts if child.is_condition and child.value is not True]
    for child in inner:
        yield from _stopping(child)
    if not inner and part.value is not True:
        yield part


def _lack(part: ConditionPart) -> Lack:
    numbers = [child.value for child in part.parts if not child.is_condition]
    told = ["unknown" if value is None else f"{value:.{_SIGNIFICANT}g}" for value in numbers]
    return Lack(part.text, " against ".join(told) if len(told) == 2 else ", ".join(told))
