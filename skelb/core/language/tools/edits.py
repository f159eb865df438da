"""Changes to a script's text that keep what it means: renaming, extracting an input, writing out a used script."""

import re
from collections.abc import Collection
from dataclasses import dataclass

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.errors import ScriptError
from skelb.core.language.checking.used import Scripts
from skelb.core.language.diagnostics import Span
from skelb.core.language.reading.lines import logical_lines
from skelb.core.language.reading.parser import parse
from skelb.core.language.reading.tokens import tokenize
from skelb.core.language.tools.places import name_at, name_places
from skelb.core.language.tools.written import number_text, written
from skelb.core.language.tree import (
    Call,
    Carry,
    Define,
    Definition,
    ExitAfter,
    Input,
    Name,
    Note,
    Number,
    Placed,
    Statement,
    Text,
    Title,
    Truth,
    Use,
)


@dataclass(frozen=True)
class Edit:
    """`text` takes the place of the half-open code-point `span`."""

    span: Span
    text: str


def applied(source: str, edits: Collection[Edit]) -> str:
    """The text with edits made; they must not overlap."""
    for edit in sorted(edits, key=lambda item: item.span, reverse=True):
        source = source[: edit.span[0]] + edit.text + source[edit.span[1] :]
    return source


# --- renaming -------------------------------------------------------------------------------------------------


def rename(source: str, offset: int, new_name: str) -> list[Edit]:
    """The edits that give the name at `offset` another name everywhere.

    Raises ScriptError when no name of the script stands there, or the new one is taken or cannot be a name.
    """
    found = name_at(source, offset)
    places = name_places(source)
    if found is None or not any(item.defines and item.name == found.name for item in places):
        raise ScriptError("only names that the script defines can be renamed")
    if new_name == found.name:
        return []
    problem = _not_free(source, new_name)
    if problem:
        raise ScriptError(problem)
    return [Edit(item.span, new_name) for item in places if item.name == found.name]


def rename_taken(source: str, span: Span) -> list[Edit]:
    """The edits that give a definition whose name is built in, and what uses it below, a name of its own.

    `span` is the name's in its definition, as the mistake S0112 has it. What stands above means the built-in name.
    """
    name = source[span[0] : span[1]]
    fresh = _free_name(source, f"my_{name}")
    edits = [Edit(span, fresh)]
    for line in logical_lines(source):
        if line.start <= span[0]:
            continue
        tokens = tokenize(line.text)
        for before, token, after in zip((None, *tokens), tokens, (*tokens[1:], None), strict=False):
            is_field, is_call = before is not None and before.text == ".", after is not None and after.text == "("
            if token.kind == "name" and token.text == name and not (is_field or is_call):
                edits.append(Edit((line.start + token.start, line.start + token.end), fresh))
    return edits


def _not_free(source: str, name: str) -> str:
    """Why a name cannot be given a meaning in this script; empty when it can."""
    if not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name):
        return f"`{name}` is not a name: letters, digits and `_`, not beginning with a digit"
    if name in WORDS or name in BUILT_INS or name in FUNCTIONS or name in POSITION_NAMES:
        return f"`{name}` has a meaning in the language"
    if name in _names_in_text(source):
        return f"`{name}` is used in this script already"
    return ""


def _names_in_text(source: str) -> set[str]:
    """Every word of the text, local names too."""
    return {token.text for line in source.split("\n") for token in tokenize(line) if token.kind == "name"}


def _free_name(source: str, wanted: str) -> str:
    """`wanted`, or with a number behind it where that is taken."""
    name, count = wanted, 2
    while _not_free(source, name):
        name, count = f"{wanted}{count}", count + 1
    return name


# --- an input from a number -----------------------------------------------------------------------------------


def extract_input(source: str, offset: int, name: str = "") -> list[Edit]:
    """The edits that make the number at `offset` an input, with a range to drag and sweep.

    Raises ScriptError when no number of an expression stands there, or the name cannot be given.
    """
    for placed in parse(source).statements:
        found = _number_at(placed.statement, offset - placed.start, "")
        if found is None or isinstance(placed.statement, Input):
            continue
        number, hint = found
        if name and _not_free(source, name):
            raise ScriptError(_not_free(source, name))
        wanted = name or _free_name(source, _suggested(placed.statement, hint))
        span = (number.span[0] + placed.start, number.span[1] + placed.start)
        line = f"input {wanted} = {source[span[0] : span[1]]} {_range(number.value)}\n"
        at = _place_for_input(source, placed)
        return [Edit((at, at), line), Edit(span, wanted)]
    raise ScriptError("no number of an expression stands here")


def _number_at(node: object, offset: int, hint: str) -> tuple[Number, str] | None:
    """The number at an offset of its statement, and what it is called where it stands."""
    if isinstance(node, tuple):
        return next((found for part in node if (found := _number_at(part, offset, hint))), None)
    if isinstance(node, Number):
        return (node, hint) if node.span[0] <= offset <= node.span[1] else None
    if isinstance(node, Call):
        names = [item.name for item in FUNCTIONS[node.name].parameters] if node.name in FUNCTIONS else []
        for position, argument in enumerate(node.arguments):
            parameter = argument.name or (names[position] if position < len(names) else "")
            found = _number_at(argument.value, offset, f"{node.name}_{parameter}".rstrip("_"))
            if found:
                return found
        return None
    if not hasattr(node, "__dataclass_fields__"):
        return None
    return next(
        (found for key in node.__dataclass_fields__ if (found := _number_at(getattr(node, key), offset, hint))), None
    )


def _suggested(statement: Statement, hint: str) -> str:
    """A name for an input by where its number stands."""
    if hint:
        return hint
    if isinstance(statement, Definition):
        return f"{statement.name}_level"
    return f"{type(statement).__name__.lower()}_{'bars' if isinstance(statement, ExitAfter) else 'value'}"


def _range(value: float) -> str:
    """A range around a value: whole numbers for whole numbers, else about twenty steps."""
    if value == int(value) and abs(value) >= 2:
        return f"from {number_text(max(1.0, value // 2))} to {number_text(value * 2)} step 1"
    if value == 0:
        return "from -1 to 1 step 0.1"
    step = 10.0 ** (len(str(int(1 / abs(value)))) * -1) if abs(value) < 1 else 0.1
    low, high = sorted((round(value / 2, 6), round(value * 2, 6)))
    return f"from {number_text(low)} to {number_text(high)} step {number_text(round(step, 6))}"


def _place_for_input(source: str, using: Placed) -> int:
    """Where a new input may stand: after the last input above its use, else after the title and note."""
    at = 0
    for placed in parse(source).statements:
        if placed.start >= using.start:
            break
        if isinstance(placed.statement, (Input, Title, Note)):
            end = source.find("\n", placed.start + len(placed.text))
            at = using.start if end < 0 else end + 1
    return min(at, using.start)


# --- a used script written out --------------------------------------------------------------------------------


def inline_used(source: str, scripts: Scripts) -> str:
    """The script with every `use` replaced by what it names: one text that stands alone.

    `wave.up` becomes `wave_up`. Raises ScriptError when a used script is not there.
    """
    for _ in range(100):
        uses = [placed for placed in parse(source).statements if isinstance(placed.statement, Use)]
        if not uses:
            return source
        source = _with_one_inlined(source, uses[0], scripts)
    raise ScriptError("these scripts use each other without end")


def _with_one_inlined(source: str, placed: Placed, scripts: Scripts) -> str:
    use = placed.statement
    assert isinstance(use, Use)
    saved = scripts(use.title, use.version)
    if saved is None:
        raise ScriptError(f"the script `{use.title}` is not among the saved scripts")
    own = name_places(saved.text)
    defined = {item.name for item in own if item.defines}
    prefix = use.name
    while any(f"{prefix}_{name}" in _names_in_text(source) for name in defined):
        prefix += "_"
    names = {name: f"{prefix}_{name}" for name in defined}
    outer_inputs = {item.statement.name for item in parse(source).statements if isinstance(item.statement, Input)}
    replaced: dict[str, str] = {}
    for given in use.inputs:
        if isinstance(given.value, Name) and given.value.name in outer_inputs:
            names[given.name] = given.value.name
            replaced[given.name] = ""
        else:
            replaced[given.name] = _as_default(given.value)
    lines = []
    for inner in parse(saved.text).statements:
        statement = inner.statement
        if not isinstance(statement, (Input, Definition, Carry, Define, Use)):
            continue
        lines.append(_written_out(saved.text, inner, names, replaced))
    edits = [Edit((placed.start, placed.start + len(placed.text)), "\n".join(line for line in lines if line))]
    for item in name_places(source):
        if item.name == use.name and not item.defines and source[item.span[1] : item.span[1] + 1] == ".":
            field = re.match(r"\.\s*([A-Za-z_][A-Za-z0-9_]*)", source[item.span[1] :])
            if field and field[1] in names:  # what the used script does not name stays, and is a mistake as before
                edits.append(Edit((item.span[0], item.span[1] + field.end()), names[field[1]]))
    return applied(source, edits)


def _as_default(value: object) -> str:
    if isinstance(value, Truth):
        return "on" if value.value == "yes" else "off"
    return value.value if isinstance(value, Text) and re.fullmatch(r"\d+[mhdw]", value.value) else written(value)  # type: ignore[arg-type]


def _written_out(text: str, inner: Placed, names: dict[str, str], replaced: dict[str, str]) -> str:
    """One statement of the used script with its names prefixed and its input set."""
    statement = inner.statement
    end = inner.start + len(inner.text)
    edits = [
        Edit((item.span[0] - inner.start, item.span[1] - inner.start), names[item.name])
        for item in name_places(text)
        if item.name in names and inner.start <= item.span[0] < end
    ]
    if isinstance(statement, Input) and statement.name in replaced:
        given = replaced[statement.name]
        if not given:
            return ""  # it is an input of the outer script
        if re.fullmatch(r'-?[\d.]+|on|off|\d+:\d+|\d+[mhdw]|"[^"]*"', given) or given in statement.options:
            edits = [item for item in edits if not _overlap(item.span, statement.default_span)]
            edits.append(Edit(statement.default_span, names.get(given, given)))
        else:
            return f"{names[statement.name]} = {given}"
    return applied(inner.text, edits)


def _overlap(a: Span, b: Span) -> bool:
    return a[0] < b[1] and b[0] < a[1]
