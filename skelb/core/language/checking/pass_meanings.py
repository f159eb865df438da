"""First pass: names and kinds, statement by statement in the order of the text."""

from skelb.core.bars import Timeframe
from skelb.core.language.checking.check_carry import check_carry
from skelb.core.language.checking.check_rule import check_position, check_rule
from skelb.core.language.checking.check_shows import check_show
from skelb.core.language.checking.expand import Expander, Own
from skelb.core.language.checking.kinds import (
    Meaning,
    Scope,
    Unsayable,
    check_free_name,
    input_meaning,
    meaning_of,
)
from skelb.core.language.checking.pass_uses import add_used
from skelb.core.language.checking.used import joined
from skelb.core.language.checking.work import Work
from skelb.core.language.diagnostics import Mistake
from skelb.core.language.tree import (
    Alert,
    Carry,
    Define,
    Definition,
    Draw,
    Input,
    Level,
    Mark,
    Name,
    Note,
    Placed,
    Shade,
    Statement,
    Text,
    Tint,
    Title,
    Use,
    Zone,
)


def check_meanings(work: Work) -> None:
    """Resolve names and kinds, statement by statement in the order of the text."""
    for original in work.parsed.statements:
        placed = original
        try:
            placed, called = _written_out(original, work)
            if isinstance(placed.statement, Use):
                add_used(work, placed, placed.statement, check_meanings)
            meaning = _meaning_of_statement(placed, work.scope, called)
        except Mistake as mistake:
            work.report(placed, mistake.diagnostic)
            _mark_broken(placed.statement, work.scope)
        except Unsayable:
            _mark_broken(placed.statement, work.scope)
        else:
            work.sound.append(placed)
            _add_names(work, placed, meaning)


def _written_out(placed: Placed, work: Work) -> tuple[Placed, set[str]]:
    """The statement with names of used scripts joined and calls of the script's own functions replaced.

    Running locals of those are added before it. Besides, the functions that were called.
    """
    if isinstance(placed.statement, Define) or not (work.functions or work.used):
        return placed, set()
    statement = joined(placed.statement, work.used) if work.used else placed.statement
    expander = Expander(work.functions, str(placed.start))
    if work.functions:
        statement = expander.statement(statement)
    for number, carry in enumerate(expander.carries):
        carry = joined(carry, work.used)
        # The text only tells the statements apart; places are those of the call.
        hidden = Placed(carry, f"{placed.text} {sorted(expander.called)} {number}", placed.start, is_here=False)
        check_carry(carry, work.scope)
        work.sound.append(hidden)
        for name, start in zip(carry.names, carry.starts, strict=True):
            work.scope.names[name] = Meaning(meaning_of(start, work.scope).kind)
            work.carries[name] = carry
    if work.used and expander.called:
        statement = joined(statement, work.used)
    return Placed(statement, placed.text, placed.start), expander.called


def _add_names(work: Work, placed: Placed, meaning: Meaning | None) -> None:
    """The names that a sound statement defines."""
    match placed.statement:
        case Input(name=name) as statement:
            work.inputs[name] = statement
        case Definition(name=name) as statement:
            work.definitions[name] = statement
        case Carry() as statement:
            _add_carry(work, placed, statement)
            return
        case Define(name=name) as statement:
            work.functions[name] = Own(statement, len(work.functions))
            meaning = Meaning("function", words=(placed.text,))
        case Use(name=name):
            meaning = Meaning("script")
        case _:
            return
    assert meaning is not None
    work.scope.names[name] = meaning
    work.placed_names[name] = placed


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
    before, scope.used = scope.used, set(called)
    scope.asks_position = False
    try:
        meaning = _check_statement(statement, scope)
        if scope.asks_position:
            meaning = check_position(statement, meaning, scope)
        names = tuple(sorted(scope.used))
    finally:
        before |= scope.used  # the few into the many
        scope.used = before
    if len(_outcomes) >= _MOST_OUTCOMES:
        _outcomes.clear()
    _outcomes[placed.text] = (names, tuple(scope.names[name] for name in names), meaning)
    return meaning


def _mark_broken(statement: Statement, scope: Scope) -> None:
    names = statement.names if isinstance(statement, Carry) else ()
    if isinstance(statement, (Input, Definition, Define, Use)):
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
        case Title() | Note() | Define() | Zone():
            pass
        case Use():
            for item in statement.inputs:
                if not isinstance(item.value, (Name, Text)):
                    meaning_of(item.value, scope)
        case Input():
            _check_input(statement)
            return input_meaning(statement, scope)
        case Definition():
            meaning = meaning_of(statement.value, scope)
            if meaning.kind in ("text", "timeframe", "market", "script"):
                raise Mistake("S0203", statement.value.span, "a name stands for numbers or conditions")
            return meaning
        case Carry():
            check_carry(statement, scope)
        case Draw() | Level() | Shade() | Mark() | Tint() | Alert():
            check_show(statement, scope)
        case _:
            check_rule(statement, scope)
    return None


def _as_option(found: Input) -> str:
    """An input's default as its options are written."""
    if found.kind == "number":
        return f"{found.default:.15g}"
    if found.kind == "time":
        assert isinstance(found.default, float)
        return f"{int(found.default) // 60:02}:{int(found.default) % 60:02}"
    return str(Timeframe.parse(str(found.default))) if found.kind == "timeframe" else str(found.default)


def _check_input(found: Input) -> None:
    if found.options and _as_option(found) not in found.options:
        listed = ", ".join(found.options)
        raise Mistake("S0209", found.default_span, f"the default `{_as_option(found)}` is not one of {listed}")
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
