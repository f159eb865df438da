"""Settings in another notation as inputs: default, limits, label."""

from skelb.core.language.bringing.calls import Call
from skelb.core.language.bringing.expressions import Surroundings
from skelb.core.language.bringing.words import function_of, source_of

_ASKING = ("input", "param", "setting", "option", "ask", "extern", "variable", "config")
_PRICES = ("open", "high", "low", "close")


def input_of(name: str, call: Call | None, around: Surroundings) -> str | None:
    """The input that a call asks for, with the name that it gets; None when the call asks for nothing."""
    if call is None or not call.says(*_ASKING):
        return None
    unnamed = [item for item in call.arguments if not item.name]
    valued = [item for item in unnamed if item.text is None or function_of(item.text) is not None]
    given = call.named("default", "value", "def") or next(iter(valued), None)
    if given is None:
        return None
    label = _label(call, given.text)
    number, words = given.number, [token.text for token in given.tokens]
    if number is not None:
        return f"input {name} = {number:.15g}{_limits(call, number)}{label}"
    if words and words[0].lower() in ("true", "false", "on", "off"):
        return f"input {name} = {'on' if words[0].lower() in ('true', 'on') else 'off'}{label}"
    source = source_of(words[0]) if len(words) == 1 and given.text is None else None
    if source in _PRICES:
        return f"input {name} = {source} one of {', '.join(_PRICES)}{label}"
    kind = function_of(given.text) if given.text else None
    if kind is not None:
        options = _kinds(call)
        return f"input {name} = {kind} one of {', '.join(dict.fromkeys((kind, *options)))}{label}"
    return None


def _limits(call: Call, default: float) -> str:
    """` from A to B step S`, where both ends are said, by name or after the default, and it lies between them."""
    bare = [item for item in call.arguments if not item.name and item.number is not None][1:]
    least, most, step = (
        call.named(word) or (bare[place] if len(bare) in (2, 3) and place < len(bare) else None)
        for place, word in enumerate(("min", "max", "step"))
    )
    low, high = (item.number if item is not None else None for item in (least, most))
    if low is None or high is None or not low <= default <= high:
        return ""
    stride = step.number if step is not None else None
    return f" from {low:.15g} to {high:.15g}" + (f" step {stride:.15g}" if stride else "")


def _label(call: Call, default: str | None) -> str:
    """The label, the first text that is not the default itself."""
    named = call.named("title", "name", "label", "caption")
    text = named.text if named is not None else next(
        (item.text for item in call.arguments if item.text is not None and item.text != default), None
    )  # fmt: skip
    return "" if not text else ' "{}"'.format(text.replace('"', "'"))


def _kinds(call: Call) -> list[str]:
    """The kinds of averages among the texts of a list of choices."""
    found = []
    for item in call.arguments:
        for token in item.tokens:
            kind = function_of(token.said) if token.kind == "text" else None
            if kind is not None:
                found.append(kind)
    return found
