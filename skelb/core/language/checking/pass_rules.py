"""Second pass: what the rules say together."""

from skelb.core.language.checking.prices import is_price
from skelb.core.language.checking.work import Work
from skelb.core.language.diagnostics import Diagnostic, Mend
from skelb.core.language.same import without_places
from skelb.core.language.tree import (
    Breakeven,
    Distance,
    Enter,
    Exit,
    Flat,
    Limit,
    Number,
    Opposite,
    Placed,
    Protect,
    Rule,
    Side,
    Size,
    Statement,
    Title,
    Trail,
    Window,
    Zone,
)


def check_rules(work: Work) -> None:
    """What the rules say together."""
    rules = [(placed, placed.statement) for placed in work.sound]
    entries = [(placed, rule) for placed, rule in rules if isinstance(rule, Enter)]
    sides = {rule.side for _, rule in entries}
    stopped = _stopped_sides([rule for _, rule in rules])
    if not _stop_is_broken(work):
        _check_in_r(work, rules, sides, stopped)
        _check_risk_sizes(work, rules, entries, stopped)
    _check_distances(work, rules)
    _check_market(work, rules)
    _check_single(work, rules)
    _check_parts(work, rules)
    _check_lots(work, rules, entries)
    _check_both_sides(work, entries)
    acting = [placed for placed, rule in rules if isinstance(rule, Rule) and not isinstance(rule, (Enter, Size))]
    if acting and not entries and not work.found:
        work.report(
            acting[0], Diagnostic("S0403", "these rules never act: there is no `enter` rule", acting[0].statement.span)
        )
    if len(sides) == 1 and all(item.severity != "error" for item in work.found):
        placed, rule = entries[0]
        other = "short" if rule.side == "long" else "long"
        work.report(placed, Diagnostic("S0404", f"there is no rule that enters {other}", rule.span))


def _check_distances(work: Work, rules: list[tuple[Placed, Statement]]) -> None:
    """A bare price is no distance: it would put a stop as far away as the price is high."""
    for placed, rule in rules:
        if not isinstance(rule, (Protect, Trail, Breakeven)):
            continue
        for what, distance in _distances(rule):
            if distance.unit == "price" and is_price(distance.amount, work):
                at = distance.span[0]
                mend = Mend("at ", (at, at)) if distance is getattr(rule, "distance", None) else None
                message = f"this {what} is a price, and without `at` a distance is meant"
                help_text = "Write `at` before a price; a distance is a difference, as in `2 * atr(14)`."
                work.report(placed, Diagnostic("S0216", message, distance.span, mend, help_text))
                break


_ADD_A_STOP = "Add a line such as `stop 2 * atr(14)`."


def _stopped_sides(rules: list[Statement]) -> set[Side]:
    """The sides whose entries have a first stop; a trail by a distance, from the start on, is one."""
    found: set[Side] = set()
    for rule in rules:
        is_stop = isinstance(rule, Protect) and rule.kind == "stop"
        trails = isinstance(rule, Trail) and rule.once is None and rule.distance.unit not in ("at", "R")
        if is_stop or trails:
            assert isinstance(rule, (Protect, Trail))
            found |= {"long", "short"} if rule.side is None else {rule.side}
    return found


def _check_in_r(work: Work, rules: list[tuple[Placed, Statement]], sides: set[Side], stopped: set[Side]) -> None:
    """Distances in R need a stop on every side that they are for."""
    for placed, rule in rules:
        if not isinstance(rule, (Protect, Trail, Breakeven)):
            continue
        wanted = {rule.side} if rule.side else (sides or {"long", "short"})
        if wanted <= stopped:
            continue
        for what, distance in _distances(rule):
            if distance.unit == "R":
                message = f"this {what} is in R, and there is no stop"
                work.report(placed, Diagnostic("S0303", message, distance.span, None, _ADD_A_STOP))
                break


def _distances(rule: Protect | Trail | Breakeven) -> list[tuple[str, Distance]]:
    match rule:
        case Protect():
            return [(rule.kind, rule.distance)]
        case Trail():
            return [("trail", rule.distance), *([("distance", rule.once)] if rule.once else [])]
        case Breakeven():
            return [("distance", rule.once), *([("distance", rule.plus)] if rule.plus else [])]


def _check_market(work: Work, rules: list[tuple[Placed, Statement]]) -> None:
    """What the market and its bars must have for a rule."""
    for placed, rule in rules:
        if isinstance(rule, (Protect, Trail, Breakeven)) and work.setting.has_pips is False:
            for _, distance in _distances(rule):
                if distance.unit == "pips":
                    work.report(
                        placed,
                        Diagnostic(
                            "S0305",
                            "no pip is stated: it is ten ticks where the tick has 3 or 5 decimals, else one",
                            distance.span,
                        ),
                    )
        timed = (isinstance(rule, Window) and rule.times) or (isinstance(rule, Flat) and rule.at)
        if timed and work.setting.daily:
            work.report(placed, Diagnostic("S0402", "these clock times mean little on daily bars", rule.span))


def _check_parts(work: Work, rules: list[tuple[Placed, Statement]]) -> None:
    """Parts of targets add up to at most the whole."""
    for side in ("long", "short"):
        sided = any(isinstance(rule, Protect) and rule.kind == "target" and rule.side == side for _, rule in rules)
        total = 0.0
        for placed, rule in rules:
            if not (isinstance(rule, Protect) and isinstance(rule.part, Number) and rule.only_if is None):
                continue
            if rule.side == side or (rule.side is None and not sided):
                total += rule.part.value
                if total > 100.0:
                    work.report(
                        placed, Diagnostic("S0308", f"with this, {side} targets take {total:g} %", rule.part.span)
                    )  # fmt: skip
                    return


def _check_lots(work: Work, rules: list[tuple[Placed, Statement]], entries: list[tuple[Placed, Enter]]) -> None:
    """`lots` names an entry that there is."""
    names = [entry.named for _, entry in entries if entry.named]
    for placed, rule in rules:
        if isinstance(rule, Exit) and rule.lots is not None and rule.lots not in names:
            listed = ", ".join(f'"{name}"' for name in names) or 'none; add `named "…"` to an entry'
            work.report(
                placed,
                Diagnostic("S0309", f'no entry is named "{rule.lots}"', rule.span, None, f"Named are: {listed}."),
            )


def _check_both_sides(work: Work, entries: list[tuple[Placed, Enter]]) -> None:
    """The same condition for both sides trades neither; entries that rest may wait on both sides at once."""
    at_market = [(placed, entry) for placed, entry in entries if entry.order.price is None and entry.only_if is None]
    longs = {without_places(entry.when) for _, entry in at_market if entry.side == "long"}
    for placed, entry in at_market:
        if entry.side == "short" and without_places(entry.when) in longs:
            work.report(
                placed,
                Diagnostic("S0409", "this is also the condition to enter long, so neither happens", entry.when.span),
            )


def _stop_is_broken(work: Work) -> bool:
    """Whether a stop line has a mistake of its own, which then is the one to mend."""
    sound = {id(placed) for placed in work.sound}
    lost = any(isinstance(item.statement, Protect) and id(item) not in sound for item in work.parsed.statements)
    return lost or bool(work.parsed.diagnostics)


def _check_risk_sizes(
    work: Work, rules: list[tuple[Placed, Statement]], entries: list[tuple[Placed, Enter]], stopped: set[Side]
) -> None:
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
                        _ADD_A_STOP,
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
                    _ADD_A_STOP,
                ),
            )


def _check_single(work: Work, rules: list[tuple[Placed, Statement]]) -> None:
    """Statements that may stand once, unless `only if` keeps them apart."""
    seen: set[str] = set()
    for placed, rule in rules:
        name = _single(rule)
        if name is None or getattr(rule, "only_if", None) is not None:
            continue
        if name in seen:
            work.report(
                placed,
                Diagnostic("S0301", f"a second `{name}` contradicts the first", rule.span, None, "Keep one of them."),
            )
        seen.add(name)


def _single(rule: Statement) -> str | None:
    """What a statement settles, when only one of its kind can."""
    match rule:
        case Title() | Size() | Opposite() | Zone():
            return type(rule).__name__.lower()
        case Limit():
            return {"open": "limit … open", "loss": "limit loss"}.get(rule.kind, f"limit … {rule.kind}")
        case Breakeven():
            return f"breakeven {rule.side or ''}".rstrip()
        case _:
            return None
