"""From an indicator script to a strategy: its conditions, and rules in a market's own numbers."""

from dataclasses import dataclass
from math import floor

import numpy as np

from skelb.core.engine import Account
from skelb.core.language import check
from skelb.core.language.tools import without_rules
from skelb.core.plan import Dataset, Expressions
from skelb.service.prepared import Prepared
from skelb.service.studies import StudiedCondition, Studies


@dataclass(frozen=True)
class RuleExample:
    """A worked example: the rules' text, and what they come to in this market today."""

    section: str
    text: str
    said: str


def examples_for(dataset: Dataset, account: Account) -> list[RuleExample]:
    """Worked examples of rules, each with its worth on the last bar of the data."""
    market, close = dataset.market, float(dataset.bars.close[-1])
    reach = _last(dataset, "atr(14)")
    found: list[RuleExample] = []

    def distance(section: str, text: str, points: float) -> None:
        money = points * market.point_value
        found.append(RuleExample(section, text, f"{_short(points)} points, {_short(money)} a unit, today"))

    for times in (2, 3):
        distance("stop", f"stop {times} * atr(14)", times * reach)
    distance("stop", "stop 1%", abs(close) * 0.01)
    low, high = _last(dataset, "lowest(low, 10)"), _last(dataset, "highest(high, 10)")
    beyond = f"{_short(close - low)} points below, {_short(high - close)} above, today"
    found.append(RuleExample("stop", "stop long at lowest(low, 10)\nstop short at highest(high, 10)", beyond))
    found.append(
        RuleExample("target", "target 2 R", f"twice the stop: {_short(4 * reach)} points with a stop of 2 × ATR")
    )
    found.append(
        RuleExample("target", "target 3 R", f"three times the stop: {_short(6 * reach)} points with a stop of 2 × ATR")
    )
    distance("target", "target 4 * atr(14)", 4 * reach)
    distance("target", "trail 3 * atr(14)", 3 * reach)
    found.append(RuleExample("target", "exit after 40 bars", f"40 bars of {dataset.bars.timeframe}"))
    ranges = [part for part in market.ranges if part.end - part.start < 1440]
    if ranges and dataset.bars.timeframe.is_intraday:
        begins, ends = ranges[0].start + 30, ranges[-1].end - 60
        found.append(
            RuleExample("window", f"window {_clock(begins)}-{_clock(ends)}", f"of the session {market.session}")
        )
        found.append(
            RuleExample(
                "window",
                f"window {_clock(begins)}-{_clock(ends)}\nflat at session end",
                "and out before the session ends",
            )
        )
    found.append(RuleExample("window", "window mon-fri", "weekdays only"))
    found.append(RuleExample("window", "limit 1 entries per day", "one entry a trading day"))
    risk = account.capital * 0.01
    units = risk / (2 * reach * market.point_value) if reach > 0 else 0.0
    units = floor(units / market.lot_step + 1e-9) * market.lot_step
    found.append(
        RuleExample(
            "size", "size risk 1% of equity", f"{_short(risk)} at risk: {_short(units)} units with a stop of 2 × ATR"
        )
    )
    found.append(
        RuleExample(
            "size",
            f"size {_short(max(1.0, market.min_lot), False)} units",
            f"{_short(abs(close) * market.point_value)} a unit",
        )
    )
    found.append(
        RuleExample(
            "size", "size 50% of equity", f"{_short(account.capital / 2)} of the account's {_short(account.capital)}"
        )
    )
    return found


def _last(dataset: Dataset, expression: str) -> float:
    """An expression's last value on the bars; 0 where it is unknown."""
    checked = check(f"x = {expression}")
    value = float(np.ravel(Expressions(checked, {}, dataset).whole(checked.definitions["x"].value))[-1])
    return value if value == value else 0.0


def _short(value: float, grouped: bool = True) -> str:
    """A number with about four digits, as a person would say it."""
    digits = 0 if abs(value) >= 1000 else 2 if abs(value) >= 1 else 6
    text = f"{value:,.{digits}f}" if grouped else f"{value:.{digits}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def _clock(minutes: int) -> str:
    return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}"


@dataclass(frozen=True, slots=True)
class Beginnings:
    """What the plan builder begins with: a script without its rules, its conditions, examples of rules."""

    title: str
    indicator: str
    conditions: list[StudiedCondition]
    examples: list[RuleExample]


def beginnings(prepared: Prepared) -> Beginnings:
    """What the plan builder begins with, of a sound script."""
    return Beginnings(
        prepared.checked.title,
        without_rules(prepared.checked),
        Studies(prepared).conditions(),
        examples_for(prepared.dataset, prepared.account),
    )
