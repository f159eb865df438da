"""One bar of a run taken apart: every rule's condition, what was scheduled, what filled, what was held back and why."""

from collections.abc import Iterator
from functools import cached_property

from skelb.core.engine import Account, Moment, Reason, Skip
from skelb.core.engine.ledger import exit_reason_of
from skelb.core.engine.replay import Lot, Replay, Replayed
from skelb.core.explain.explanation import Explanation, RuleReading
from skelb.core.explain.reading import Reader
from skelb.core.explain.readings import Readings, readings_of
from skelb.core.language import Checked
from skelb.core.plan import NamedRule, OppositeMode, Plan

_SIDE = {1: "long", -1: "short"}


class Explainer:
    """Explains the bars of one run; cheap enough to follow a pointer. Not for several threads at once."""

    def __init__(self, checked: Checked, plan: Plan, account: Account) -> None:
        self.checked, self._plan, self.account = checked, plan, account

    @cached_property
    def _replay(self) -> Replay:
        """Made with the first question: most runs are never asked about."""
        return Replay(self._plan, self.account)

    def levels(self, first: int, last: int) -> Iterator[tuple[int, int, tuple[Lot, ...]]]:
        """Bar, side and open lots of every bar with any, with the levels in force on it; as `Replay.levels`."""
        return self._replay.levels(first, last)

    def readings(self, bar: int) -> tuple[Explanation, Readings]:
        """A bar explained, and the script as it reads on it. Raises IndexError when it is not one of the run."""
        explanation = self.explain(bar)
        plan, known = self._plan, explanation.moment.known_to_exits
        reader = Reader(self.checked, plan.expressions, plan.dataset, bar, known)
        return explanation, readings_of(self.checked, explanation, reader, plan.dataset.market)

    def explain(self, bar: int) -> Explanation:
        """What happened on a bar. Raises IndexError when it is not one of the run."""
        moment = self._replay.at(bar)
        plan = self._plan
        to_entries = Reader(self.checked, plan.expressions, plan.dataset, bar, moment.known_to_entries)
        to_exits = Reader(self.checked, plan.expressions, plan.dataset, bar, moment.known_to_exits)
        rules = [self._entry(e, rule, moment, to_entries) for e, rule in enumerate(plan.entries)]
        rules += [self._exit(x, rule, moment, to_exits) for x, rule in enumerate(plan.exits)]
        return Explanation(bar, moment, tuple(rules), self._happened(moment), self._waiting(moment))

    # --- rules -------------------------------------------------------------------------------------------------

    def _entry(self, e: int, rule: NamedRule, moment: Replayed, reader: Reader) -> RuleReading:
        condition = reader.part(rule.when, rule.text)
        assert rule.side is not None
        did = self._entry_did(e, rule, moment) if condition.value is True else ""
        return RuleReading("enter", rule.side, rule.name, rule.start, condition, did)

    def _entry_did(self, e: int, rule: NamedRule, moment: Replayed) -> str:
        side = 1 if rule.side == "long" else -1
        if moment.is_ruined:
            return "nothing: the account was ruined"
        if moment.bar == self._plan.last:
            return "nothing: after the last bar nothing can fill"
        if e in moment.entering:
            return f"enters {rule.side} at the next open"
        for order in moment.resting:
            if not order.is_exit and order.rule == e and order.bar == moment.bar:
                left = order.until - moment.bar
                return f"rests at {self._price(order.price)} for {left} {'bar' if left == 1 else 'bars'}"
        for lot in moment.lots:
            if lot.rule == e and lot.moment == Moment.CLOSE and lot.entry_bar == moment.bar + 1:
                return f"entered {rule.side} at this close at {self._price(lot.price)}"
        for _, skipped, reason, at, by in moment.skips.tolist():
            if skipped == side and at == Moment.CLOSE and by in (-1, e):
                return f"held back: {Skip(reason).word}"
        if (moment.due_reason is not None and moment.side == side) or self._left_at_close(moment, side):
            return "held back: an exit of this side is due on the same bar"
        if moment.side == side:
            room = self._plan.rules.room
            return (
                "held back: already in a position"
                if room == 1
                else f"held back: {len(moment.lots)} of {room} lots open"
            )
        if moment.side == -side and self._plan.rules.opposite != OppositeMode.REVERSE:
            mode = "only exits" if self._plan.rules.opposite == OppositeMode.EXIT else "does nothing"
            return f"held back: against the position it {mode}"
        return "held back: a rule before it took the only room, or an exit rule of its side is yes too"

    @staticmethod
    def _left_at_close(moment: Replayed, side: int) -> bool:
        return any(row["moment"] == Moment.CLOSE and row["side"] == side for row in moment.trades)

    def _exit(self, x: int, rule: NamedRule, moment: Replayed, reader: Reader) -> RuleReading:
        condition = reader.part(rule.when, rule.text)
        did = self._exit_did(x, moment) if condition.value is True else ""
        return RuleReading("exit", rule.side, rule.name, rule.start, condition, did)

    def _exit_did(self, x: int, moment: Replayed) -> str:
        for row in moment.trades:
            if row["moment"] == Moment.CLOSE and row["exit_rule"] == x:
                return f"exited at this close at {self._price(row['exit_price'])}"
        if x in moment.due:
            return "exits at the next open"
        for order in moment.resting:
            if order.is_exit and order.rule == x and order.bar == moment.bar:
                return f"rests at {self._price(order.price)}"
        if not moment.lots:
            return "nothing to exit"
        if moment.bar == self._plan.last:
            return "nothing: after the last bar nothing can fill"
        return "nothing: it is for the other side or other lots, or a rule before it exits"

    # --- what happened -----------------------------------------------------------------------------------------

    def _happened(self, moment: Replayed) -> tuple[str, ...]:
        """What filled and what did not, in order: at each moment of the bar what left before what came."""
        found: list[tuple[int, int, str]] = []
        for lot in moment.lots:
            if self._filled_on(lot, moment.bar):
                found.append((lot.moment, 1, self._entered(lot)))
        for row in moment.trades:
            side, at = _SIDE[int(row["side"])], int(row["moment"])
            came, when = int(row["entry_moment"]), ("at the open", "inside the bar", "at the close")
            is_new = row["entry_bar"] == moment.bar and came != Moment.CLOSE
            if is_new and row["ends_lot"]:  # parts of a lot that goes on are told with the lot
                found.append((came, 1, f"entered {side} at {self._price(row['entry_price'])}"))
            text = f"left {side} {when[at]} at {self._price(row['exit_price'])}"
            text = f"{text} by {exit_reason_of(self._plan, row)}, net {row['net']:+,.2f}"
            found.append((at, 2 if is_new else 0, text))
        for _, side, reason, at, by in moment.skips.tolist():
            if at != Moment.CLOSE or by >= 0:
                name = f" “{self._plan.entries[int(by)].name}”" if by >= 0 else ""
                text = f"{_SIDE[int(side)]} entry{name} did not happen: {Skip(reason).word}"
                found.append((int(at), 3, text))
        return tuple(text for _, _, text in sorted(found, key=lambda item: item[:2]))

    @staticmethod
    def _filled_on(lot: Lot, bar: int) -> bool:
        return lot.entry_bar == bar if lot.moment != Moment.CLOSE else lot.entry_bar == bar + 1

    def _entered(self, lot: Lot) -> str:
        rule = self._plan.entries[lot.rule]
        return f"entered {rule.side} {lot.units:g} units at {self._price(lot.price)} by “{rule.name}”"

    def _waiting(self, moment: Replayed) -> tuple[str, ...]:
        found = []
        if moment.due_reason is not None:
            rule = moment.due[0]
            reason = self._plan.exits[rule].name if moment.due_reason == Reason.RULE else "time or an opposite signal"
            found.append(f"exit at the next open: {reason}")
        for x in moment.due[1:] if moment.due_reason is not None else moment.due:
            found.append(f"part of the position leaves at the next open: {self._plan.exits[x].name}")
        for e in moment.entering:
            found.append(f"{self._plan.entries[e].side} entry at the next open: {self._plan.entries[e].name}")
        for order in moment.resting:
            names = self._plan.exits if order.is_exit else self._plan.entries
            what = "exit" if order.is_exit else "entry that only closes" if order.closes_only else "entry"
            found.append(f"{what} rests at {self._price(order.price)}: {names[order.rule].name}")
        return tuple(found)

    def _price(self, price: float) -> str:
        """A price with the tick's decimals, or more where the fill has more."""
        whole, _, part = f"{price:,.10f}".rstrip("0").partition(".")
        part = part.ljust(self._plan.dataset.market.decimals, "0")
        return f"{whole}.{part}" if part else whole
