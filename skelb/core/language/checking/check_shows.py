"""What a statement that shows something needs: numbers to draw, conditions to mark, labels that can be read."""

from skelb.core.language.checking.kinds import Scope, need_condition, need_number
from skelb.core.language.checking.used import joined
from skelb.core.language.diagnostics import Mistake
from skelb.core.language.labels import label_parts
from skelb.core.language.reading.expressions import read_expression
from skelb.core.language.reading.reader import Reader
from skelb.core.language.tree import Alert, Draw, Expression, Level, Mark, Shade, Show, Tint


def check_show(statement: Show, scope: Scope) -> None:
    """Check one statement. Raises Mistake at the smallest wrong place."""
    match statement:
        case Draw():
            for value in statement.values:
                need_number(value, scope, "`draw`")
            if statement.color and statement.color.when:
                need_condition(statement.color.when, scope, "`color … when`")
        case Level():
            for value in statement.values:
                _need_level(value, scope)
        case Shade():
            need_number(statement.a, scope, "`shade`")
            need_number(statement.b, scope, "`shade`")
            if statement.when:
                need_condition(statement.when, scope, "`when`")
        case Mark():
            need_condition(statement.when, scope, "`mark`")
            _check_label(statement.label or "", statement, scope)
        case Tint():
            need_condition(statement.when, scope, "`tint`")
        case Alert():
            need_condition(statement.when, scope, "`alert`")
            _check_label(statement.text, statement, scope)


def _need_level(value: Expression, scope: Scope) -> None:
    if not need_number(value, scope, "`level`").constant:
        raise Mistake(
            "S0205", value.span, "a level is the same on every bar", None, "To draw a moving line, write `draw`."
        )


def _check_label(label: str, statement: Mark | Alert, scope: Scope) -> None:
    for part in label_parts(label):
        if not part.is_value:
            continue
        try:
            reader = Reader(part.text)
            value = read_expression(reader)
            reader.finish()
            need_number(joined(value, scope.aliases), scope, "a label")
        except Mistake as mistake:
            raise Mistake(
                mistake.diagnostic.code, statement.span, f"in the label: {mistake.diagnostic.message}"
            ) from mistake
