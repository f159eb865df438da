"""Second pass: what the rules say together."""

from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.tree import (
    Enter,
    Exit,
    ExitAfter,
    Flat,
    Months,
    Opposite,
    Placed,
    Protect,
    Size,
    Statement,
    Title,
    Window,
)
from skelb.core.language.work import Work


def check_rules(work: Work) -> None:
    """What the rules say together."""
    rules = [(placed, placed.statement) for placed in work.sound]
    entries = [(placed, rule) for placed, rule in rules if isinstance(rule, Enter)]
    stops = [rule for _, rule in rules if isinstance(rule, Protect) and rule.kind == "stop"]
    sides = {rule.side for _, rule in entries}
    stopped = {side for side in ("long", "short") for rule in stops if rule.side in (None, side)}
    for placed, rule in rules:
        if isinstance(rule, Protect) and rule.distance.unit == "R":
            wanted = {rule.side} if rule.side else (sides or {"long", "short"})
            if not wanted <= stopped and not _stop_is_broken(work):
                work.report(
                    placed,
                    Diagnostic(
                        "S0303",
                        "this target is in R, and there is no stop",
                        rule.distance.span,
                        None,
                        "Add a line such as `stop 2 * atr(14)`.",
                    ),
                )
        if isinstance(rule, Protect) and rule.distance.unit == "pips" and work.setting.has_pips is False:
            work.report(
                placed, Diagnostic("S0305", "this market has no pips", rule.distance.span, None, "Use ticks or points.")
            )
        if (
            isinstance(rule, (Window, Flat))
            and work.setting.daily
            and getattr(rule, "times", ()) + ((rule.at,) if isinstance(rule, Flat) and rule.at else ())
        ):
            work.report(placed, Diagnostic("S0402", "these clock times mean little on daily bars", rule.span))
    _check_risk_sizes(work, rules, entries, stopped)
    _check_single(work, rules)
    acting = [placed for placed, rule in rules if isinstance(rule, (Exit, ExitAfter, Protect, Window, Months, Flat))]
    if acting and not entries and not work.found:
        work.report(
            acting[0], Diagnostic("S0403", "these rules never act: there is no `enter` rule", acting[0].statement.span)
        )
    if len(sides) == 1 and all(item.severity != "error" for item in work.found):
        placed, rule = entries[0]
        other = "short" if rule.side == "long" else "long"
        work.report(placed, Diagnostic("S0404", f"there is no rule that enters {other}", rule.span))


def _stop_is_broken(work: Work) -> bool:
    """Whether a stop line has a mistake of its own, which then is the one to mend."""
    sound = {id(placed) for placed in work.sound}
    lost = any(isinstance(item.statement, Protect) and id(item) not in sound for item in work.parsed.statements)
    return lost or bool(work.parsed.diagnostics)


def _check_risk_sizes(
    work: Work, rules: list[tuple[Placed, Statement]], entries: list[tuple[Placed, Enter]], stopped: set[str]
) -> None:
    if _stop_is_broken(work):
        return
    for placed, rule in rules:
        if isinstance(rule, Size) and rule.form.startswith("risk"):
            bare = {entry.side for _, entry in entries if entry.size is None} or {"long", "short"}
            if not bare <= stopped:
                work.report(
                    placed,
                    Diagnostic(
                        "S0302",
                        "this size is a risk, and there is no stop",
                        rule.span,
                        None,
                        "Add a line such as `stop 2 * atr(14)`.",
                    ),
                )
    for placed, entry in entries:
        if entry.size is not None and entry.size.form.startswith("risk") and entry.side not in stopped:
            work.report(
                placed,
                Diagnostic(
                    "S0302",
                    f"this size is a risk, and there is no {entry.side} stop",
                    entry.size.span,
                    None,
                    "Add a line such as `stop 2 * atr(14)`.",
                ),
            )


def _check_single(work: Work, rules: list[tuple[Placed, Statement]]) -> None:
    """Statements that may stand once, unless `only if` keeps them apart."""
    for kind, name in ((Title, "title"), (Size, "size"), (Opposite, "opposite")):
        several = [
            (placed, rule)
            for placed, rule in rules
            if isinstance(rule, kind) and getattr(rule, "only_if", None) is None
        ]
        for placed, rule in several[1:]:
            work.report(
                placed,
                Diagnostic("S0301", f"a second `{name}` contradicts the first", rule.span, None, "Keep one of them."),
            )
