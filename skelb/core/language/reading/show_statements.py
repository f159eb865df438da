"""Reading statements that show: draw, level, shade, mark, tint, alert."""

from skelb.core.language.diagnostics import Mistake
from skelb.core.language.reading.expressions import finite, read_expression
from skelb.core.language.reading.reader import Reader
from skelb.core.language.tree import (
    Alert,
    Color,
    Draw,
    Expression,
    Level,
    Mark,
    Shade,
    Tint,
)

COLORS = (
    "ink", "soft", "long", "short", "gain", "loss", "brass", "deep", "shallow",
    "red", "orange", "gold", "green", "blue", "violet",
)  # fmt: skip
_FORMS = ("line", "stairs", "points", "pillars", "wash")
_PENNANTS = ("pointer", "ring", "pennon", "knot")


def read_list(reader: Reader) -> tuple[Expression, ...]:
    """One or more expressions, separated by commas."""
    values = [read_expression(reader)]
    while reader.accept_sign(","):
        values.append(read_expression(reader))
    return tuple(values)


def _read_color_word(reader: Reader) -> str:
    return reader.need_word(COLORS, f"a colour word ({', '.join(COLORS)})").text


def read_draw(reader: Reader) -> Draw:
    """A `draw` statement, after its first word. Raises Mistake when it is none."""
    values = read_list(reader)
    form, panel, color, named = "line", None, None, None
    while reader.now.kind != "end":
        if reader.accept_word("as"):
            form = reader.need_word(_FORMS, f"a form ({', '.join(_FORMS)})").text
        elif reader.accept_word("in"):
            panel = reader.need_text("the panel's name")
        elif reader.accept_word("color"):
            color = _read_color(reader)
        elif reader.accept_word("named"):
            named = reader.need_text("the name")
        else:
            break
    return Draw(values, form, panel, color, named, (0, reader.last_end))


def _read_color(reader: Reader) -> Color:
    word = _read_color_word(reader)
    if not reader.accept_word("when"):
        return Color(word, None, None)
    condition = read_expression(reader)
    reader.need_word(("else",), "`else` and the other colour")
    return Color(word, condition, _read_color_word(reader))


def read_level(reader: Reader) -> Level:
    """A `level` statement, after its first word. Raises Mistake when it is none."""
    values = read_list(reader)
    panel = reader.need_text("the panel's name") if reader.accept_word("in") else None
    return Level(values, panel, (0, reader.last_end))


def read_shade(reader: Reader) -> Shade:
    """A `shade` statement, after its first word. Raises Mistake when it is none."""
    a = read_expression(reader)
    reader.need_word(("to",), "`to` and the other line")
    b = read_expression(reader)
    color = _read_color_word(reader) if reader.accept_word("color") else None
    strength = _read_strength(reader) if reader.accept_word("strength") else None
    when = read_expression(reader) if reader.accept_word("when") else None
    return Shade(a, b, color, strength, when, (0, reader.last_end))


def _read_strength(reader: Reader) -> float:
    """How strong a shade is, in percent."""
    token = reader.now
    if token.kind != "number":
        raise reader.missing("a number of percent")
    reader.advance()
    strength = finite(token)
    if not 1 <= strength <= 100:
        raise Mistake("S0211", token.span, "a shade's strength is from 1 to 100 percent")
    reader.need_sign("%", "`%`")
    return strength


def read_mark(reader: Reader) -> Mark:
    """A `mark` statement, after its first word. Raises Mistake when it is none."""
    when = read_expression(reader)
    place = reader.need_word(("above", "below"), "`above` or `below`").text
    form = reader.accept_word(*_PENNANTS)
    color = _read_color_word(reader) if reader.accept_word("color") else None
    label = reader.need_text("the label") if reader.now.kind == "text" else None
    return Mark(when, place, form.text if form else "pointer", color, label, (0, reader.last_end))  # type: ignore[arg-type]


def read_tint(reader: Reader) -> Tint:
    """A `tint` statement, after its first word. Raises Mistake when it is none."""
    when = read_expression(reader)
    color = _read_color_word(reader) if reader.accept_word("color") else None
    return Tint(when, color, (0, reader.last_end))


def read_alert(reader: Reader) -> Alert:
    """An `alert` statement, after its first word. Raises Mistake when it is none."""
    when = read_expression(reader)
    return Alert(when, reader.need_text("the alert's text"), (0, reader.last_end))
