"""A small script for every function and built-in name, which shows it on a chart."""

from collections.abc import Mapping

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, BuiltIn, Function, Mirroring


def example_of(name: str) -> str:
    """A script that shows a function or built-in name.

    >>> example_of("ema")
    'title "ema"\\nema_line = ema(close, 20)\\ndraw ema_line\\n'
    """
    shown = _shown(FUNCTIONS[name]) if name in FUNCTIONS else _shown_name(BUILT_INS[name])
    return f'title "{name}"\n{shown}'


def _shown(function: Function) -> str:
    name = function.name
    if function.result == "condition":
        return f"{name}_yes = {function.example}\nmark {name}_yes below\n"
    panel = "" if _is_of_price(function.mirror) else f' in "{name}"'
    if function.fields:
        parts = ", ".join(f"{name}_is.{field}" for field in function.fields if field != "side")
        return f"{name}_is = {function.example}\ndraw {parts}{panel}\n"
    return f"{name}_line = {function.example}\ndraw {name}_line{panel}\n"


def _is_of_price(mirror: Mirroring | Mapping[str, Mirroring]) -> bool:
    """Whether an example's values lie where the prices do: what is made of x is shown of the close."""
    first = mirror if isinstance(mirror, Mirroring) else next(iter(mirror.values()))
    return first.turns in ("price", "as x", "as all")


def _shown_name(entry: BuiltIn) -> str:
    name = entry.name
    if entry.fields:
        return f"draw {', '.join(f'{name}.{field}' for field in entry.fields)}\n"
    if entry.kind == "condition":
        return f"mark {name} below\n"
    if entry.words:
        return f"tint {name} is {entry.words[0]} color deep\n"
    if entry.kind == "time":
        return "morning = time in 09:30..11:00\ntint morning color deep\n"
    return f"draw {name}\n" if _is_of_price(entry.mirror) else f'draw {name} in "{name}"\n'
