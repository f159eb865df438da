"""What a word in the text means: its documentation, where it is defined, the call it belongs to."""

from dataclasses import dataclass

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES
from skelb.core.language.assist.completion import function_text
from skelb.core.language.assist.context import before, open_call
from skelb.core.language.check import Checked
from skelb.core.language.diagnostics import Span
from skelb.core.language.forms import forms_of
from skelb.core.language.reading.tokens import tokenize
from skelb.core.language.tools.places import name_places
from skelb.core.language.tools.written import written_statement
from skelb.core.language.tree import Input


@dataclass(frozen=True)
class Explained:
    """A word's documentation: its form as code, the text, where it stands, and its entry in the guide."""

    code: str
    text: str
    span: Span
    entry: str


@dataclass(frozen=True)
class Target:
    """Where a name is defined; `title` is the used script's, None in this text."""

    title: str | None
    span: Span


@dataclass(frozen=True)
class Signature:
    """The form of the call at a place, its parameters, and which of them is being written."""

    label: str
    documentation: str
    parameters: tuple[str, ...]
    active: int


def word_at(source: str, offset: int) -> tuple[str, Span] | None:
    """The word at an offset (or ending there) with dots of used scripts left out."""
    start = source.rfind("\n", 0, offset) + 1
    end = source.find("\n", offset)
    line = source[start : len(source) if end < 0 else end]
    for token in tokenize(line):
        if token.kind == "name" and token.start + start <= offset <= token.end + start:
            return token.text, (token.start + start, token.end + start)
    return None


def explain_word(source: str, offset: int, checked: Checked) -> Explained | None:
    """The documentation of the word at an offset; None where there is nothing to say."""
    found = word_at(source, offset)
    if found is None:
        return None
    word, span = found
    joined = _joined_name(source, span, checked)
    if joined in checked.meanings:
        return _own(joined, span, checked)
    if word in FUNCTIONS:
        return Explained(FUNCTIONS[word].signature, function_text(FUNCTIONS[word]), span, f"function/{word}")
    if word in BUILT_INS:
        entry = BUILT_INS[word]
        fields = f"\n\nFields: {', '.join('.' + name for name in entry.fields)}" if entry.fields else ""
        return Explained(word, f"{entry.summary}{fields}", span, f"name/{word}")
    if word in POSITION_NAMES:
        return Explained(word, POSITION_NAMES[word].summary, span, f"name/{word}")
    forms = forms_of(word)
    if forms:
        text = "\n\n".join(form.summary for form in forms)
        return Explained("\n".join(form.template for form in forms), text, span, f"form/{forms[0].word}")
    return None


def _joined_name(source: str, span: Span, checked: Checked) -> str:
    """The name at a span, with the used script's name before it."""
    name = source[span[0] : span[1]]
    prefix = source[: span[0]].rstrip()
    if prefix.endswith("."):
        head = prefix[:-1].rstrip()
        alias = next((item for item in checked.used if head.endswith(item)), None)
        return f"{alias}.{name}" if alias else name
    return name


def _own(name: str, span: Span, checked: Checked) -> Explained:
    meaning = checked.meanings[name]
    placed = next((item for item in checked.statements if name in _defined_by(item.statement)), None)
    code = name if placed is None else " ".join(written_statement(placed.statement).split())
    kind = (
        f"A record with {', '.join('.' + item for item in meaning.fields)}." if meaning.fields else f"A {meaning.kind}."
    )
    if placed is not None and isinstance(placed.statement, Input):
        kind = f"An input. {placed.statement.label}".strip()
    return Explained(code, kind, span, "")


def _defined_by(statement: object) -> tuple[str, ...]:
    names = getattr(statement, "names", None)
    return names if names is not None else (getattr(statement, "name", ""),)


def definition_of(source: str, offset: int, checked: Checked) -> Target | None:
    """Where the name at an offset gets its meaning."""
    found = word_at(source, offset)
    if found is None:
        return None
    joined = _joined_name(source, found[1], checked)
    alias, dot, name = joined.partition(".")
    text = checked.used[alias].text if dot else source
    place = next((item for item in name_places(text) if item.defines and item.name == (name if dot else joined)), None)
    if place is None:
        return None
    return Target(checked.used[alias].title if dot else None, place.span)


def uses_of(source: str, offset: int) -> list[Span]:
    """Every place of the name at an offset, its definition among them."""
    found = word_at(source, offset)
    if found is None:
        return []
    return [item.span for item in name_places(source) if item.name == found[0]]


def signature_at(source: str, offset: int) -> Signature | None:
    """The form of the call that is open at an offset."""
    call = open_call(before(source, offset).tokens)
    function = FUNCTIONS.get(call.name) if call else None
    if call is None or function is None or not function.parameters:
        return None
    names = [item.name for item in function.parameters]
    active = names.index(call.argument) if call.argument in names else min(call.position, len(names) - 1)
    parameters = tuple(
        item.name if item.default is None else f"{item.name} = {item.default:g}" for item in function.parameters
    )
    return Signature(function.signature, function.summary, parameters, active)
