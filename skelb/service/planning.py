"""From an indicator script to a strategy: its conditions with what followed them, and rules in a market's own numbers."""

import re
from calendar import day_name, month_name
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from math import floor
from typing import Any

import numpy as np

from skelb.core.bars import Bools, Ints
from skelb.core.catalogue import YES
from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.export import plain_values
from skelb.core.language import Checked, Setting, check
from skelb.core.language.tools import without_rules, written
from skelb.core.language.tree import Expression, Logic, Mark, Name, Not
from skelb.core.language.walk import parts_within
from skelb.core.plan import Dataset, Expressions, input_values
from skelb.core.plan.watching import asks_position
from skelb.core.trials import Group, Study, calendar_of, study_of
from skelb.service.backtest import checked_or_error
from skelb.service.library import Library
from skelb.service.setup import Setup

Document = dict[str, Any]


@dataclass(frozen=True)
class Example:
    """A worked example: the rules' text, and what they come to in this market today."""

    section: str
    text: str
    said: str


def conditions_of(checked: Checked, setup: Setup, dataset: Dataset) -> list[Document]:
    """Every condition of a setup's script with its study over the setup's dates."""
    return conditions_between(checked, dataset, setup.known_inputs(checked), setup.from_date, setup.to_date)


def conditions_between(
    checked: Checked, dataset: Dataset, given: Mapping[str, object], from_date: date | None, to_date: date | None
) -> list[Document]:
    """Every named condition, every part that an `and` joins, and every mark's, each with its study over the dates.

    `used` is how another script that uses this one as `{}` would write it; None where it cannot.
    """
    expressions = Expressions(checked, input_values(checked, given), dataset)
    span = _between(dataset, from_date, to_date)
    rows: dict[str, Document] = {}
    for name in checked.shown_names:
        if checked.meanings[name].kind == "condition":
            values = expressions.whole(Name(name, (0, 0)))
            meant = checked.definitions.get(name)
            rows[name] = {"kind": "condition", "meaning": written(meant.value) if meant else "", "used": f"{{}}.{name}"}
            rows[name] |= _study(values, dataset, span)
    parts = [("part", part) for meant in checked.definitions.values() for part in _joined(meant.value)]
    marks = [("mark", p.statement.when) for p in checked.statements if isinstance(p.statement, Mark)]
    for kind, node in (*parts, *marks):
        text = written(node)
        is_negated_name = isinstance(node, Not) and isinstance(node.x, Name)
        if text not in rows and not is_negated_name and not asks_position(node, checked):
            rows[text] = {"kind": kind, "meaning": "", "used": _used(node, checked)}
            rows[text] |= _study(expressions.whole(node), dataset, span)
    return [{"text": text, **row} for text, row in rows.items()]


def _joined(node: Expression) -> tuple[Expression, ...]:
    """The parts that an `and` or `or` joins; a part of a definition of its own has no place of its own here."""
    return node.parts if isinstance(node, Logic) else ()


def _used(node: Expression, checked: Checked) -> str | None:
    """The expression with the script's names as those of a used script; its inputs cannot be reached from outside."""
    names = {part.name for part in parts_within(node) if isinstance(part, Name)}
    if names & checked.inputs.keys() or any("." in name for name in names):  # of an input, or of a script used here
        return None
    text = written(node)
    for name in names & (checked.definitions.keys() | checked.carries.keys()):
        text = re.sub(rf"(?<![\w.]){re.escape(name)}\b", f"{{}}.{name}", text)
    return text


def calendar_between(
    checked: Checked, dataset: Dataset, given: Mapping[str, object], from_date: date | None, to_date: date | None,
    condition: str, setting: Setting,
) -> list[Document]:  # fmt: skip
    """The study of a condition (a name of the script, or any expression) on every weekday, month and hour at once.

    Without a condition, of the weekdays, months and hours themselves. Raises SettingsError when it is no condition.
    """
    span = _between(dataset, from_date, to_date)
    yes = None if not condition.strip() else _condition(checked, dataset, given, condition, setting)[span]
    calendar, bars = dataset.calendar, dataset.bars
    months = (calendar.day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12 + 1)[span]
    groups: dict[Group, Ints] = {"weekday": calendar.weekday[span], "month": months}
    if bars.timeframe.is_intraday:
        groups["hour"] = (calendar.open_minute // 60 % 24)[span]
    rows = calendar_of(groups, yes, bars.open[span], bars.close[span], calendar.close_time[span])
    return [
        {
            "group": row.group,
            "name": _group_name(row.group, row.number),
            "stretches": row.stretches,
            "within": _known(row.within),
            "within_low": _known(row.within_low),
            "within_high": _known(row.within_high),
            **_study_document(row.study),
        }
        for row in rows
    ]


def _group_name(group: Group, number: int) -> str:
    if group == "hour":
        return f"{number:02d}:00"
    return day_name[number] if group == "weekday" else month_name[number]


def _condition(checked: Checked, dataset: Dataset, given: Mapping[str, object], text: str, setting: Setting) -> Bools:
    name = "studied_condition"
    found = checked_or_error(f"{checked.source.rstrip()}\n{name} = {text}\n", setting)
    if found.meanings[name].kind != "condition":
        raise SettingsError(f"`{text}` is not a condition: it is never yes or no")
    expressions = Expressions(found, input_values(found, given), dataset)
    yes: Bools = np.broadcast_to(expressions.whole(found.definitions[name].value), len(dataset)) == YES
    return yes


def _between(dataset: Dataset, from_date: date | None, to_date: date | None) -> np.ndarray:
    """Which bars belong to the dates."""
    days = dataset.calendar.day.astype("datetime64[D]")
    span = np.ones(len(dataset), np.bool_)
    if from_date:
        span &= days >= np.datetime64(from_date)
    if to_date:
        span &= days <= np.datetime64(to_date)
    if not span.any():
        raise SettingsError(f"{dataset.market.symbol} has no bars from {from_date or 'its start'} to {to_date or 'its end'}")  # fmt: skip
    return span


def _study(values: np.ndarray, dataset: Dataset, span: np.ndarray) -> Document:
    yes = (np.broadcast_to(values, len(dataset)) == YES)[span]
    return _study_document(study_of(yes, dataset.bars.close[span], dataset.calendar.close_time[span]))


def _study_document(study: Study) -> Document:
    columns = {name: plain_values(getattr(study, name)) for name in ("moves", "low", "high", "every")}
    return {"count": study.count, "share": study.share, "per_year": study.per_year, "horizons": study.horizons.tolist(), **columns}  # fmt: skip


def _known(value: float) -> float | None:
    return None if value != value else value


def examples_for(dataset: Dataset, account: Account) -> list[Example]:
    """Worked examples of rules, each with its worth on the last bar of the data."""
    market, close = dataset.market, float(dataset.bars.close[-1])
    reach = _last(dataset, "atr(14)")
    found: list[Example] = []

    def distance(section: str, text: str, points: float) -> None:
        money = points * market.point_value
        found.append(Example(section, text, f"{_short(points)} points, {_short(money)} a unit, today"))

    for times in (2, 3):
        distance("stop", f"stop {times} * atr(14)", times * reach)
    distance("stop", "stop 1%", abs(close) * 0.01)
    low, high = _last(dataset, "lowest(low, 10)"), _last(dataset, "highest(high, 10)")
    beyond = f"{_short(close - low)} points below, {_short(high - close)} above, today"
    found.append(Example("stop", "stop long at lowest(low, 10)\nstop short at highest(high, 10)", beyond))
    found.append(Example("target", "target 2 R", f"twice the stop: {_short(4 * reach)} points with a stop of 2 × ATR"))
    found.append(Example("target", "target 3 R", f"three times the stop: {_short(6 * reach)} points with a stop of 2 × ATR"))  # fmt: skip
    distance("target", "target 4 * atr(14)", 4 * reach)
    distance("target", "trail 3 * atr(14)", 3 * reach)
    found.append(Example("target", "exit after 40 bars", f"40 bars of {dataset.bars.timeframe}"))
    ranges = [part for part in market.ranges if part.end - part.start < 1440]
    if ranges and dataset.bars.timeframe.is_intraday:
        begins, ends = ranges[0].start + 30, ranges[-1].end - 60
        found.append(Example("window", f"window {_clock(begins)}-{_clock(ends)}", f"of the session {market.session}"))
        found.append(Example("window", f"window {_clock(begins)}-{_clock(ends)}\nflat at session end", "and out before the session ends"))  # fmt: skip
    found.append(Example("window", "window mon-fri", "weekdays only"))
    found.append(Example("window", "limit 1 entries per day", "one entry a trading day"))
    risk = account.capital * 0.01
    units = risk / (2 * reach * market.point_value) if reach > 0 else 0.0
    units = floor(units / market.lot_step + 1e-9) * market.lot_step
    found.append(Example("size", "size risk 1% of equity", f"{_short(risk)} at risk: {_short(units)} units with a stop of 2 × ATR"))  # fmt: skip
    found.append(Example("size", f"size {_short(max(1.0, market.min_lot), False)} units", f"{_short(abs(close) * market.point_value)} a unit"))  # fmt: skip
    found.append(Example("size", "size 50% of equity", f"{_short(account.capital / 2)} of the account's {_short(account.capital)}"))  # fmt: skip
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


def study_document(setup: Setup, library: Library, dataset: Dataset) -> Document:
    """What the plan builder begins with. Raises ScriptError when the script has errors."""
    checked = setup.checked(library, dataset)
    examples = examples_for(dataset, setup.conditions(library))
    return {
        "title": checked.title,
        "indicator": without_rules(checked),
        "conditions": conditions_of(checked, setup, dataset),
        "examples": [{"section": item.section, "text": item.text, "said": item.said} for item in examples],
    }
