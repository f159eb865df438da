"""What can be written at a place: names, functions, fields, words, and whole forms of statements."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Literal

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, MONTHS, POSITION_NAMES, Function
from skelb.core.language.assist.context import Before, before, open_call
from skelb.core.language.check import Checked
from skelb.core.language.checking.kinds import Meaning
from skelb.core.language.forms import FORMS, STATEMENT_FORMS
from skelb.core.language.reading.show_statements import COLORS

Kind = Literal["form", "word", "function", "series", "name", "input", "field", "text"]


@dataclass(frozen=True)
class Completion:
    """One proposal: `insert` takes the place of the word being written; with `is_form` it holds fields `${1:…}`."""

    label: str
    kind: Kind
    insert: str
    detail: str = ""
    documentation: str = ""
    is_form: bool = False


@dataclass(frozen=True)
class Surroundings:
    """What a script can reach around it: markets, other scripts' titles, columns of the bars."""

    markets: Sequence[str] = ()
    titles: Sequence[str] = ()
    columns: Sequence[str] = ()
    timeframes: Sequence[str] = field(default=("5m", "15m", "30m", "1h", "4h", "1d", "1w"))


@dataclass(frozen=True)
class Completions:
    """Proposals for the text from `start` on to the place."""

    start: int
    items: list[Completion]


def completions(source: str, offset: int, checked: Checked, around: Surroundings) -> Completions:
    """What can be written at `offset`; `checked` is this text, mistakes and all."""
    place = before(source, offset)
    if place.inside == "text":
        return Completions(place.start, _texts(place, around))
    if place.inside:
        return Completions(offset, [])
    if place.tokens and place.tokens[-1].text == ".":
        return Completions(place.start, _fields(place, checked))
    if not place.tokens:
        return Completions(place.start, _statements(checked))
    words = _words(place, checked, around)
    return Completions(place.start, words if words is not None else _values(place, checked))


def _texts(place: Before, around: Surroundings) -> list[Completion]:
    """What may stand in quotes here."""
    if place.ends("from") or (place.head == "input" and place.ends("=")):
        found: Iterable[str] = around.markets
    elif place.ends("use"):
        found = around.titles
    elif place.ends("column", "("):
        found = around.columns
    else:
        return []
    return [Completion(text, "text", text) for text in found]


def _fields(place: Before, checked: Checked) -> list[Completion]:
    """The fields of the record, or the names of the used script, before the dot."""
    subject = place.tokens[-2] if len(place.tokens) > 1 else None
    if subject is None:
        return []
    if subject.text == ")":
        call = _closed_call(place)
        fields = FUNCTIONS[call].fields if call in FUNCTIONS else ()
        return [Completion(name, "field", name) for name in fields]
    if subject.text in checked.used:
        prefix = f"{subject.text}."
        return [
            Completion(name.removeprefix(prefix), "name", name.removeprefix(prefix), _kind_words(meaning))
            for name, meaning in checked.meanings.items()
            if name.startswith(prefix)
        ]
    meaning = checked.meanings.get(subject.text)
    fields = meaning.fields if meaning else ()
    if not fields and subject.text in BUILT_INS:
        fields = BUILT_INS[subject.text].fields
    if not fields and subject.text in FUNCTIONS:
        fields = FUNCTIONS[subject.text].fields
    return [Completion(name, "field", name) for name in fields]


def _closed_call(place: Before) -> str:
    """The name of the call whose closing bracket stands before the dot."""
    depth = 0
    for index in range(len(place.tokens) - 2, -1, -1):
        depth += (place.tokens[index].text == ")") - (place.tokens[index].text == "(")
        if depth == 0:
            return place.tokens[index - 1].text if index else ""
    return ""


def _statements(checked: Checked) -> list[Completion]:
    forms = [Completion(form.word, "form", form.snippet, form.template, form.summary, True) for form in STATEMENT_FORMS]
    return forms + [item for item in _own_names(checked) if item.kind == "name"]


def _words(place: Before, checked: Checked, around: Surroundings) -> list[Completion] | None:
    """Words that alone can stand here; None where a value may."""
    last = place.tokens[-1].text
    if last == "color":
        return _plain(COLORS)
    if last == "as" and place.head == "draw":
        return _plain(("line", "stairs", "points", "pillars", "wash"))
    if last in ("enter",):
        return _plain(("long", "short"))
    if last == "at" and place.head in ("enter", "exit"):
        return _plain(("market", "close", "limit", "stop"))
    if last == "at" and place.head == "flat":
        return [*_plain(("session end", "week end")), *_inputs(checked, "time")]
    if last == "on":
        return [*_plain(around.timeframes), *_inputs(checked, "timeframe")]
    if last == "crosses":
        return _plain(("above", "below"))
    if last == "opposite":
        return _plain(("reverse", "exit", "ignore"))
    if last in ("is", "not") and place.tokens[-2:-1] and (last == "is" or place.tokens[-2].text == "is"):
        subject = place.tokens[-2 if last == "is" else -3].text
        return _plain(_words_of(subject, checked)) or None
    if last in ("window",):
        return _plain(WEEKDAYS)
    if last == "months":
        return _plain(MONTHS)
    if place.head == "pause" and last == "after":
        return _plain(("stop", "loss", "exit"))
    return None


def _words_of(subject: str, checked: Checked) -> tuple[str, ...]:
    if subject in checked.meanings:
        return checked.meanings[subject].words
    return BUILT_INS[subject].words if subject in BUILT_INS else ()


def _plain(words: Iterable[str]) -> list[Completion]:
    return [Completion(word, "word", word) for word in words]


def _inputs(checked: Checked, kind: str) -> list[Completion]:
    return [Completion(name, "input", name) for name, found in checked.inputs.items() if found.kind == kind]


def _values(place: Before, checked: Checked) -> list[Completion]:
    """Names and functions, the arguments of the call this stands in first."""
    items: list[Completion] = []
    call = open_call(place.tokens)
    if call is not None and call.name in FUNCTIONS:
        for parameter in FUNCTIONS[call.name].parameters:
            if parameter.words and _at_parameter(FUNCTIONS[call.name], call.position) == parameter.name:
                items += _plain(parameter.words)
    items += _own_names(checked)
    items += [_function(entry) for entry in FUNCTIONS.values()]
    items += [Completion(entry.name, "series", entry.name, entry.kind, entry.summary) for entry in BUILT_INS.values()]
    if place.head in ("enter", "exit", "trail"):
        items += [Completion(name, "series", name, "position", found.summary) for name, found in POSITION_NAMES.items()]
    items += [
        Completion(form.word, "form", form.snippet, form.template, form.summary, True)
        for form in FORMS
        if form.group == "expressions" and form.word in ("total", "all of", "column")
    ]
    return items + _plain(_following(place))


def _following(place: Before) -> tuple[str, ...]:
    """Words that go on after a value in this statement."""
    common = ("and", "or", "crosses", "meets", "in", "is", "on", "from", "then")
    units = ("pips", "ticks", "points", "cash")
    own = {
        "enter": ("when", "at", "for", "size", "named", "only if"),
        "exit": ("when", "after", "at", "take", "lots", "named", "only if"),
        "draw": ("as", "in", "color", "named"),
        "mark": ("above", "below", "color"),
        "shade": ("to", "color", "when"),
        "input": ("from", "to", "step", "one of"),
        "stop": (*units, "only if"),
        "target": ("R", *units, "for", "only if"),
        "trail": ("once", "R", *units, "only if"),
        "breakeven": ("once", "plus", "R", *units, "only if"),
        "carry": ("starting",),
        "define": ("where",),
        "size": ("units", "cash", "max", "only if"),
    }
    return common + own.get(place.head, ("only if",))


def _at_parameter(function: Function, position: int) -> str:
    return function.parameters[position].name if position < len(function.parameters) else ""


def _own_names(checked: Checked) -> list[Completion]:
    found = []
    for name, meaning in checked.meanings.items():
        if not name.isidentifier():
            continue
        if name in checked.inputs:
            found.append(Completion(name, "input", name, "input", checked.inputs[name].label))
        elif meaning.kind == "function":
            found.append(Completion(name, "function", f"{name}(${{1}})", "your function", is_form=True))
        else:
            found.append(Completion(name, "name", name, _kind_words(meaning)))
    return found


def _kind_words(meaning: Meaning) -> str:
    return f"record .{' .'.join(meaning.fields)}" if meaning.fields else meaning.kind


def _function(entry: Function) -> Completion:
    required = [item.name for item in entry.parameters if item.default is None]
    fields = ", ".join(f"${{{index}:{name}}}" for index, name in enumerate(required, 1))
    insert = f"{entry.name}({fields})" if required else entry.name
    return Completion(
        entry.name, "function", insert, entry.signature.removeprefix(entry.name), function_text(entry), bool(required)
    )


def function_text(entry: Function) -> str:
    """A function's documentation in a few lines."""
    fields = f"\n\nFields: {', '.join('.' + name for name in entry.fields)}" if entry.fields else ""
    return (
        f"{entry.summary}\n\n{entry.formula}{fields}\n\nFirst known bar: {entry.first_known}. Seed: {entry.seed}"
        f" Source: {entry.source}"
    )
