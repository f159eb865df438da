"""Conditions studied on a market's bars: how often they came, what price did after, and when in the calendar."""

import re
from calendar import day_name, month_name
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Literal

import numpy as np

from skelb.core.bars import Bools, Ints
from skelb.core.catalogue import YES
from skelb.core.errors import SettingsError
from skelb.core.export import Column, plain_values
from skelb.core.language import Checked
from skelb.core.language.tools import written
from skelb.core.language.tree import Expression, Logic, Mark, Name, Not
from skelb.core.language.walk import parts_within
from skelb.core.plan import Dataset, Expressions, input_values
from skelb.core.trials import Group, Moves, MoveUnit, Study, calendar_of, divisors, study_of
from skelb.service.checking import checked_or_error
from skelb.service.prepared import Prepared

_ASKED = "studied_condition"


@dataclass(frozen=True, slots=True)
class Followed:
    """How often a condition came, and how price moved after it, at each of some horizons in bars; unknown is None.

    `low` and `high` bound the mean moves with 95 %, all horizons together; `every` is the mean move after any bar;
    `p` is the chance of moves as unusual where the condition means nothing.
    """

    count: int
    share: float
    per_year: float
    yearly: dict[str, int]
    horizons: list[int]
    moves: Column
    low: Column
    high: Column
    every: Column
    p: float | None


@dataclass(frozen=True, slots=True)
class StudiedCondition(Followed):
    """A condition with what followed it; `used` is how a script that uses this one as `{}` would write it."""

    text: str
    kind: Literal["condition", "part", "mark", "asked"]
    meaning: str
    used: str | None


@dataclass(frozen=True, slots=True)
class CalendarRow(Followed):
    """A stretch of the calendar: the mean move within with its band of 95 %, and what followed.

    `p` is of the move within, as the study of the calendar weighs it.
    """

    group: Group
    name: str
    stretches: int
    within: float | None
    within_low: float | None
    within_high: float | None
    usual: float | None
    stands_out: bool


class Studies:
    """The conditions of a script with its inputs filled in, on a dataset, over the trading days between two dates.

    Moves are in points, in percent of the close they begin at, or in multiples of the ATR of 14 bars there. Raises
    SettingsError when no bar lies between them.
    """

    def __init__(self, prepared: Prepared, unit: MoveUnit = "points") -> None:
        """Of a sound script."""
        self._checked, self._dataset, self._setting = prepared.checked, prepared.dataset, prepared.setting
        self._given, choices = prepared.choices.inputs, prepared.choices
        self._span, self._unit = _between(prepared.dataset, choices.from_date, choices.to_date), unit

    def conditions(self, asked: str = "") -> list[StudiedCondition]:
        """Every named condition, every part that an `and` joins, and every mark's, each with its study.

        One that is asked for besides, a name of the script or any expression, comes first. `used` is how another script
        that uses this one as `{}` would write it; None where it cannot. Raises SettingsError when what is asked for is
        no condition.
        """
        checked = self._checked
        expressions = Expressions(checked, input_values(checked, self._given), self._dataset)
        rows: dict[str, StudiedCondition] = {}
        for name in checked.shown_names:
            if checked.meanings[name].kind == "condition":
                meant = checked.definitions.get(name)
                meaning, values = written(meant.value) if meant else "", expressions.whole(Name(name, (0, 0)))
                rows[name] = self._row(name, "condition", values, meaning, f"{{}}.{name}")
        parts = [part for meant in checked.definitions.values() for part in _joined(meant.value)]
        marks = [p.statement.when for p in checked.statements if isinstance(p.statement, Mark)]
        for place, node in enumerate((*parts, *marks)):
            text = written(node)
            is_negated_name = isinstance(node, Not) and isinstance(node.x, Name)
            if text not in rows and not is_negated_name and not checked.is_of_position(node):
                kind: Literal["part", "mark"] = "part" if place < len(parts) else "mark"
                rows[text] = self._row(text, kind, expressions.whole(node), used=_used(node, checked))
        asked = " ".join(asked.split())
        if asked and asked not in rows:
            rows = {asked: self._row(asked, "asked", self._asked(asked))} | rows
        return list(rows.values())

    def calendar(self, asked: str = "") -> list[CalendarRow]:
        """The study of a condition on every weekday, month and hour at once; without one, of these themselves.

        Raises SettingsError when what is asked for is no condition.
        """
        calendar, bars, span = self._dataset.calendar, self._dataset.bars, self._span
        yes = self._yes(self._asked(asked)) if asked.strip() else None
        months = self._days.astype("datetime64[M]").astype(np.int64) % 12 + 1
        groups: dict[Group, Ints] = {"weekday": calendar.weekday[span], "month": months}
        if bars.timeframe.is_intraday:
            groups["hour"] = (calendar.open_minute // 60 % 24)[span]
        rows = calendar_of(groups, yes, bars.open[span], self._moves)
        return [
            CalendarRow(
                *_followed(row.study, row.p),
                row.group,
                _group_name(row.group, row.number),
                row.stretches,
                _known(row.within),
                _known(row.within_low),
                _known(row.within_high),
                _known(row.usual),
                row.stands_out,
            )
            for row in rows
        ]

    @cached_property
    def _days(self) -> np.ndarray:
        days: np.ndarray = self._dataset.calendar.day[self._span].astype("datetime64[D]")
        return days

    @cached_property
    def _years(self) -> Ints:
        return self._days.astype("datetime64[Y]").astype(np.int64) + 1970

    @cached_property
    def _moves(self) -> Moves:
        bars, span = self._dataset.bars, self._span
        per = divisors(self._unit, bars)
        return Moves(bars.close[span], self._dataset.calendar.close_time[span], self._years, per[span])

    def _yes(self, values: np.ndarray) -> Bools:
        found: Bools = (np.broadcast_to(values, len(self._dataset)) == YES)[self._span]
        return found

    def _row(
        self, text: str, kind: Literal["condition", "part", "mark", "asked"], values: np.ndarray, meaning: str = "",
        used: str | None = None,
    ) -> StudiedCondition:  # fmt: skip
        study = study_of(self._yes(values), self._moves)
        return StudiedCondition(*_followed(study, study.p), text, kind, meaning, used)

    def _asked(self, text: str) -> np.ndarray:
        found = checked_or_error(f"{self._checked.source.rstrip()}\n{_ASKED} = {text}\n", self._setting)
        if found.meanings[_ASKED].kind != "condition":
            raise SettingsError(f"`{text}` is not a condition: it is never yes or no")
        expressions = Expressions(found, input_values(found, self._given), self._dataset)
        values: np.ndarray = expressions.whole(found.definitions[_ASKED].value)
        return values


def _between(dataset: Dataset, from_date: date | None, to_date: date | None) -> np.ndarray:
    """Which bars belong to the dates."""
    days = dataset.calendar.day.astype("datetime64[D]")
    span = np.ones(len(dataset), np.bool_)
    if from_date:
        span &= days >= np.datetime64(from_date)
    if to_date:
        span &= days <= np.datetime64(to_date)
    if not span.any():
        raise SettingsError(
            f"{dataset.market.symbol} has no bars from {from_date or 'its start'} to {to_date or 'its end'}"
        )
    return span


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


def _group_name(group: Group, number: int) -> str:
    if group == "hour":
        return f"{number:02d}:00"
    return day_name[number] if group == "weekday" else month_name[number]


def _followed(
    study: Study, p: float
) -> tuple[int, float, float, dict[str, int], list[int], Column, Column, Column, Column, float | None]:
    """The fields of `Followed`."""
    yearly = {str(year): count for year, count in study.yearly.items()}
    moves, low, high, every = (plain_values(c) for c in (study.moves, study.low, study.high, study.every))
    horizons = study.horizons.tolist()
    return study.count, study.share, study.per_year, yearly, horizons, moves, low, high, every, _known(p)


def _known(value: float) -> float | None:
    return None if value != value else value
