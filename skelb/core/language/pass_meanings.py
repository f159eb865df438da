"""First pass: names and kinds, statement by statement in the order of the text."""

from skelb.core.language.carries import check_carry
from skelb.core.language.diagnostics import Mistake
from skelb.core.language.expand import Expander
from skelb.core.language.expressions import read_expression
from skelb.core.language.kinds import (
    Meaning,
    Scope,
    Unsayable,
    check_free_name,
    input_meaning,
    meaning_of,
    need_condition,
    need_number,
    need_time,
)
from skelb.core.language.labels import label_parts
from skelb.core.language.reader import Reader
from skelb.core.language.tree import (
    Carry,
    Define,
    Definition,
    Draw,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Input,
    Level,
    Mark,
    Note,
    Placed,
    Protect,
    Shade,
    Size,
    Statement,
    Title,
    Window,
)
from skelb.core.language.work import Work


def check_meanings(work: Work) -> None:
    """Resolve names and kinds, statement by statement in the order of the text."""
    for original in work.parsed.statements:
        placed, statement = original, original.statement
        try:
            placed, called = _without_calls(original, work)
            statement = placed.statement
            meaning = _meaning_of_statement(placed, work.scope, called)
        except Mistake as mistake:
            work.report(placed, mistake.diagnostic)
            _mark_broken(statement, work.scope)
            continue
        except Unsayable:
            _mark_broken(statement, work.scope)
            continue
        work.sound.append(placed)
        if isinstance(statement, Input):
            work.inputs[statement.name] = statement
        elif isinstance(statement, Definition):
            work.definitions[statement.name] = statement
        elif isinstance(statement, Carry):
            _add_carry(work, placed, statement)
            continue
        elif isinstance(statement, Define):
            work.functions[statement.name] = statement
            work.scope.names[statement.name] = Meaning("function", words=(placed.text,))
            work.placed_names[statement.name] = placed
            continue
        else:
            continue
        assert meaning is not None
        work.scope.names[statement.name] = meaning
        work.placed_names[statement.name] = placed


def _without_calls(placed: Placed, work: Work) -> tuple[Placed, set[str]]:
    """The statement with calls of the script's own functions replaced; their running locals are added before it.

    Besides, the functions that were called.
    """
    if not work.functions or isinstance(placed.statement, Define):
        return placed, set()
    expander = Expander(work.functions, str(placed.start))
    statement = expander.statement(placed.statement)
    for number, carry in enumerate(expander.carries):
        # The text only tells the statements apart; places are those of the call.
        hidden = Placed(carry, f"{placed.text} {sorted(expander.called)} {number}", placed.start)
        check_carry(carry, work.scope)
        work.sound.append(hidden)
        for name, start in zip(carry.names, carry.starts, strict=True):
            work.scope.names[name] = Meaning(meaning_of(start, work.scope).kind)
            work.carries[name] = carry
    if not expander.called:
        return placed, set()
    return Placed(statement, placed.text, placed.start), expander.called


def _add_carry(work: Work, placed: Placed, statement: Carry) -> None:
    """Running values become names once the whole statement is sound."""
    for name, start in zip(statement.names, statement.starts, strict=True):
        work.scope.names[name] = Meaning(meaning_of(start, work.scope).kind)
        work.carries[name] = statement
        work.placed_names[name] = placed


_Outcome = tuple[tuple[str, ...], tuple[Meaning, ...], Meaning | None]
_outcomes: dict[str, _Outcome] = {}
_MOST_OUTCOMES = 32_768


def _meaning_of_statement(placed: Placed, scope: Scope, called: set[str]) -> Meaning | None:
    """Check one statement; what its name means, when it defines one.

    A sound statement stays sound while the names it uses mean the same, so after a change of one line the others
    are looked up. Mistakes are found anew: they depend on every name there is.
    """
    statement = placed.statement
    if isinstance(statement, (Input, Definition, Define)):
        check_free_name(statement.name, statement.name_span, scope)
    if isinstance(statement, Define):
        _check_local_names(statement, scope)
    if isinstance(statement, Carry):
        for name, span in zip(statement.names, statement.name_spans, strict=True):
            check_free_name(name, span, scope)
    held = _outcomes.get(placed.text)
    if held is not None and tuple(map(scope.names.get, held[0])) == held[1]:
        scope.used.update(held[0])
        return held[2]
    outer, scope.used = scope.used, set(called)
    try:
        meaning = _check_statement(statement, scope)
        names = tuple(sorted(scope.used))
    finally:
        scope.used |= outer
    if len(_outcomes) >= _MOST_OUTCOMES:
        _outcomes.clear()
    _outcomes[placed.text] = (names, tuple(scope.names[name] for name in names), meaning)
    return meaning


def _mark_broken(statement: Statement, scope: Scope) -> None:
    names = statement.names if isinstance(statement, Carry) else ()
    if isinstance(statement, (Input, Definition, Define)):
        names = (statement.name,)
    scope.broken.update(name for name in names if name not in scope.names)


def _check_local_names(statement: Define, scope: Scope) -> None:
    """Parameters and locals have names of their own; what they mean is checked where the function is called."""
    seen: set[str] = set()
    for name in statement.parameters:
        check_free_name(name, statement.name_span, scope)
        seen.add(name)
    for local in statement.locals:
        check_free_name(local.name, local.name_span, scope)
        if local.name in seen:
            raise Mistake("S0206", local.name_span, f"`{local.name}` has a meaning in this function already")
        seen.add(local.name)


def _check_statement(statement: Statement, scope: Scope) -> Meaning | None:
    match statement:
        case Title() | Note() | Define():
            pass
        case Input():
            _check_input(statement)
            return input_meaning(statement, scope)
        case Definition():
            meaning = meaning_of(statement.value, scope)
            if meaning.kind == "text":
                raise Mistake("S0203", statement.value.span, "a name stands for numbers or conditions, not for a text")
            return meaning
        case Carry():
            check_carry(statement, scope)
        case Draw() | Level() | Shade() | Mark():
            _check_show(statement, scope)
        case _:
            _check_rule(statement, scope)
    return None


def _check_input(found: Input) -> None:
    if found.kind == "choice" and found.default not in found.options:
        listed = ", ".join(found.options)
        raise Mistake("S0209", found.default_span, f"the default `{found.default}` is not one of {listed}")
    if found.kind != "number" or found.low is None or found.high is None:
        return
    assert isinstance(found.default, float)
    if found.low > found.high:
        raise Mistake(
            "S0209",
            found.span,
            f"the range runs from {found.low:g} down to {found.high:g}",
            None,
            "Write the smaller end first.",
        )
    if not found.low <= found.default <= found.high:
        raise Mistake(
            "S0209", found.default_span, f"the default {found.default:g} lies outside {found.low:g} to {found.high:g}"
        )
    if found.step is not None and found.step <= 0:
        raise Mistake("S0209", found.span, "the step must be above 0")


def _check_show(statement: Draw | Level | Shade | Mark, scope: Scope) -> None:
    match statement:
        case Draw():
            for value in statement.values:
                need_number(value, scope, "`draw`")
            if statement.color and statement.color.when:
                need_condition(statement.color.when, scope, "`color … when`")
        case Level():
            for value in statement.values:
                if not need_number(value, scope, "`level`").constant:
                    raise Mistake(
                        "S0205",
                        value.span,
                        "a level is the same on every bar",
                        None,
                        "To draw a moving line, write `draw`.",
                    )
        case Shade():
            need_number(statement.a, scope, "`shade`")
            need_number(statement.b, scope, "`shade`")
            if statement.when:
                need_condition(statement.when, scope, "`when`")
        case Mark():
            need_condition(statement.when, scope, "`mark`")
            for part in label_parts(statement.label or ""):
                if part.is_value:
                    _check_label_value(part.text, statement, scope)


def _check_label_value(text: str, statement: Mark, scope: Scope) -> None:
    try:
        reader = Reader(text)
        need_number(read_expression(reader), scope, "a label")
        reader.finish()
    except Mistake as mistake:
        raise Mistake(
            mistake.diagnostic.code, statement.span, f"in the label: {mistake.diagnostic.message}"
        ) from mistake


def _check_rule(statement: Statement, scope: Scope) -> None:
    only_if = getattr(statement, "only_if", None)
    if only_if is not None and not need_condition(only_if, scope, "`only if`").constant:
        raise Mistake(
            "S0304",
            only_if.span,
            "this changes from bar to bar",
            None,
            "Use inputs only, or put it into the rule's condition.",
        )
    match statement:
        case Enter():
            need_condition(statement.when, scope, f"`enter {statement.side} when`")
            if statement.size:
                _check_size(statement.size, scope)
        case Exit():
            need_condition(statement.when, scope, "`exit when`")
        case ExitAfter():
            _need_constant(statement.bars, scope, "`exit after`")
        case Protect():
            need_number(statement.distance.amount, scope, f"`{statement.kind}`")
            if statement.kind == "stop" and statement.distance.unit == "R":
                raise Mistake(
                    "S0303", statement.distance.span, "a stop cannot be measured in R, which it defines itself"
                )
        case Window():
            for start, end in statement.times:
                need_time(start, scope, "`window`")
                need_time(end, scope, "`window`")
        case Flat():
            if statement.at is not None:
                need_time(statement.at, scope, "`flat at`")
        case Size():
            _check_size(statement, scope)
        case _:
            pass


def _check_size(size: Size, scope: Scope) -> None:
    need_number(size.amount, scope, "`size`")
    if size.most is not None:
        need_number(size.most, scope, "`max`")


def _need_constant(node: Expression, scope: Scope, what: str) -> None:
    if not need_number(node, scope, what).constant:
        raise Mistake("S0205", node.span, f"{what} needs the same number on every bar")
