"""Values for a script's inputs: defaults, and what a user or a sweep sets instead."""

from collections.abc import Mapping

from skelb.core.bars import Timeframe
from skelb.core.errors import SettingsError
from skelb.core.language import Checked
from skelb.core.language.tree import Input
from skelb.core.plan.expressions import InputValue


def input_values(checked: Checked, given: Mapping[str, object]) -> dict[str, InputValue]:
    """Every input's value: the given one, else the default.

    Given values may be texts as typed on a command line. Raises SettingsError on an unknown input or a value that
    the input cannot hold.
    """
    unknown = [name for name in given if name not in checked.inputs]
    if unknown:
        known = ", ".join(checked.inputs) or "none"
        raise SettingsError(f"the script has no input `{unknown[0]}`; its inputs are: {known}")
    return {
        name: read_value(found, given[name]) if name in given else found.default
        for name, found in checked.inputs.items()
    }


def read_value(found: Input, given: object) -> InputValue:
    """`given` as the value of one input. Raises SettingsError when the input cannot hold it."""
    value = _read_value(found, str(given).strip())
    if found.options and found.kind != "choice" and value not in option_values(found):
        raise SettingsError(f"the input `{found.name}` takes one of {', '.join(found.options)}, not `{given}`")
    return value


def option_values(found: Input) -> tuple[InputValue, ...]:
    """The values that an input with `one of` can take, in order."""
    return tuple(_read_value(found, option) for option in found.options)


def _read_value(found: Input, text: str) -> InputValue:
    if found.kind == "choice" and text in found.options:
        return text
    if found.kind == "switch" and text.lower() in ("on", "yes", "true", "off", "no", "false"):
        return text.lower() in ("on", "yes", "true")
    if found.kind == "time":
        hours, _, minutes = text.partition(":")
        if hours.isdigit() and minutes.isdigit() and int(minutes) < 60 and int(hours) * 60 + int(minutes) <= 1440:
            return float(int(hours) * 60 + int(minutes))
        if not minutes and _is_number(text) and 0 <= float(text) <= 1440:
            return float(text)
    if found.kind == "number" and _is_number(text):
        return float(text)
    if found.kind == "timeframe":
        return str(Timeframe.parse(text))
    if found.kind == "market" and text:
        return text
    wanted = {
        "number": "a number",
        "switch": "on or off",
        "time": "a time such as 09:30",
        "timeframe": "a timeframe such as 4h",
        "market": "a market's symbol",
        "choice": f"one of {', '.join(found.options)}",
    }[found.kind]
    raise SettingsError(f"the input `{found.name}` takes {wanted}, not `{text}`")


def _is_number(text: str) -> bool:
    try:
        return abs(float(text)) < float("inf")
    except ValueError:
        return False
