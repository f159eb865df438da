"""What is wrong with given values, in this program's words: what, where, and how to mend it."""

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

_LONGEST = 60
_NUMBER = "`{given}` is no number"
_WHOLE = "`{given}` is no whole number"
_DAY = "`{given}` is no day: write it as 2024-01-31"
_SWITCH = "`{given}` is neither true nor false"
_TEXT = "`{given}` is no text"
_SAID = {
    "missing": "it is needed and not there",
    "extra_forbidden": "there is nothing of that name here: take it away, or see how it is written",
    "literal_error": "`{given}` is not one of {expected}",
    "enum": "`{given}` is not one of {expected}",
    "greater_than_equal": "`{given}` is too low: at least {ge}",
    "less_than_equal": "`{given}` is too high: at most {le}",
    "greater_than": "`{given}` is too low: above {gt}",
    "less_than": "`{given}` is too high: below {lt}",
    "finite_number": "`{given}` is no finite number",
    "string_too_long": "it is too long: at most {max_length} characters",
    "string_too_short": "it is too short: at least {min_length} characters",
    "too_long": "there are {actual_length}: at most {max_length}",
    "too_short": "there are {actual_length}: at least {min_length}",
    "date_from_datetime_parsing": _DAY, "date_from_datetime_inexact": _DAY, "date_parsing": _DAY, "date_type": _DAY,
    "float_parsing": _NUMBER, "float_type": _NUMBER,
    "int_parsing": _WHOLE, "int_type": _WHOLE, "int_from_float": _WHOLE, "int_parsing_size": _WHOLE,
    "bool_parsing": _SWITCH, "bool_type": _SWITCH,
    "string_type": _TEXT,
}  # fmt: skip
"""By the type of error of the library that checks values; what is not here is told in its words."""


def one_line(exc: ValidationError) -> str:
    """The first mistake as one sentence, after the name of what it is in."""
    first: dict[str, Any] = dict(exc.errors()[0])
    where = ".".join(map(str, first["loc"]))
    return f"{where}: {mistake_text(first)}" if where else mistake_text(first)


def mistake_text(error: Mapping[str, Any]) -> str:
    """What is wrong, of an error as the library that checks values tells it."""
    said = _SAID.get(str(error["type"]))
    if said is None:
        return str(error["msg"])
    given = " ".join(_plain(error.get("input")).split())
    shown = given if len(given) <= _LONGEST else f"{given[:_LONGEST]}…"
    ends = {name: _plain(value) for name, value in error.get("ctx", {}).items()}
    return said.format_map({**ends, "given": shown})


def _plain(value: object) -> str:
    return f"{value:.12g}" if isinstance(value, float) else str(value)
