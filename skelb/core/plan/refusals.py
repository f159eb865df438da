"""Rules that the language has and this engine does not execute: refused with a sentence, never ignored."""

from skelb.core.errors import SettingsError
from skelb.core.language import Checked, LineMap, forms_in
from skelb.core.language.tree import (
    Definition,
    Exit,
    Limit,
    Placed,
    Protect,
    Statement,
)
from skelb.core.plan.watching import asks_position


def refuse_unexecuted(checked: Checked) -> None:
    """Raise SettingsError naming the first line that this engine cannot execute."""
    for placed in checked.statements:
        what = _unexecuted(placed.statement, checked)
        if what:
            raise SettingsError(_sentence(checked, placed, what))


def _sentence(checked: Checked, placed: Placed, what: str) -> str:
    line = LineMap(checked.source).place(placed.start).line
    return f"line {line} is right, but this version of the engine does not execute {what} yet; nothing was run"


def _unexecuted(rule: Statement, checked: Checked) -> str:
    """What a statement asks for that the engine does not do; empty when it does all of it."""
    if any(True for _ in forms_in(rule)):
        return "higher bars as they form (`forming`)"
    if not isinstance(rule, (Definition, Exit)) and asks_position(rule, checked):
        return "names of the position outside exit rules"
    match rule:
        case Exit() if rule.order.form in ("limit", "stop"):
            return f"exits `at {rule.order.form}`"
        case Exit() if rule.take is not None or rule.lots is not None:
            return "`take` and `lots`"
        case Protect() if rule.part is not None:
            return "targets `for` a part"
        case Limit() if rule.kind == "open":
            return "`limit … open`"
        case _:
            return ""
