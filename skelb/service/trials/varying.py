"""What of a script can vary in a trial: its inputs with their ranges, and the rules each of them switches."""

from dataclasses import dataclass

from skelb.core.language import Checked
from skelb.core.language.tree import Input, Name
from skelb.core.language.walk import parts_within


@dataclass(frozen=True)
class Varying:
    """An input as an axis: a range with a step, or words; `switches` are the lines of rules that it lets exist."""

    name: str
    label: str
    default: str
    low: float
    high: float
    step: float
    words: tuple[str, ...]
    switches: tuple[str, ...]


def varying_of(checked: Checked) -> list[Varying]:
    """Every input that can be an axis. Numbers without a stated range go from half to twice their default."""
    return [_varying(checked, found) for found in checked.inputs.values() if found.kind != "market" or found.options]


def _varying(checked: Checked, found: Input) -> Varying:
    words: tuple[str, ...] = ()
    low, high, step = found.low, found.high, found.step
    if found.kind == "switch":
        words = ("off", "on")
    elif found.options:
        words = found.options
    elif found.kind == "timeframe":
        words = tuple(dict.fromkeys((str(found.default), *_TIMEFRAMES)))
    elif low is None or high is None:
        default = float(found.default)
        low, high = (default / 2, default * 2) if default else (-1.0, 1.0)
        whole = default.is_integer() and abs(default) >= 2
        low, high = (float(int(low)), float(int(high))) if whole else (low, high)
    low, high = min(low or 0.0, high or 0.0), max(low or 0.0, high or 0.0)
    return Varying(
        found.name,
        found.label,
        _text(found),
        low,
        high,
        step or _step(low, high),
        words,
        _switched(checked, found.name),
    )


_TIMEFRAMES = ("1h", "2h", "4h", "1d")


def _step(low: float, high: float) -> float:
    """About ten steps, whole ones where the ends are whole and far apart."""
    step = (high - low) / 10
    return float(max(1, round(step))) if low.is_integer() and high.is_integer() and high - low >= 4 else step or 1.0


def _text(found: Input) -> str:
    if found.kind == "switch":
        return "on" if found.default else "off"
    return f"{found.default:g}" if isinstance(found.default, float) else str(found.default)


def _switched(checked: Checked, name: str) -> tuple[str, ...]:
    return tuple(
        " ".join(placed.text.split())
        for placed in checked.statements
        if (asked := getattr(placed.statement, "only_if", None)) is not None
        and any(isinstance(part, Name) and part.name == name for part in parts_within(asked))
    )
