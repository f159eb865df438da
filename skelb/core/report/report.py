"""All that a report says of a run's numbers."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.engine import Outcome
from skelb.core.figures import Figures, Record, joined, record_together
from skelb.core.plan import Dataset
from skelb.core.report.course import Course, course_of
from skelb.core.report.earned import Grouped, earned_by
from skelb.core.report.excursions import Excursions, excursions_of
from skelb.core.report.months import Month, Year, months_of, years_of
from skelb.core.report.spread import Spread, spread_of
from skelb.core.report.stretches import Stretch, Swings, stretches_of
from skelb.core.report.traded import Traded, traded


@dataclass(frozen=True, slots=True)
class Charge:
    """A step from gross to net: money, taken away where it is below 0, and its share of the gross profit, percent, None
    where there is none."""

    name: Literal["gross", "commission", "spread", "slippage", "financing", "net"]
    money: float
    share: float | None


@dataclass(frozen=True, slots=True)
class Numbers:
    """What a report's drawings and tables are made of.

    unit : of results in `earned`, `excursions` and `spread`: R where every trade had a stop, else money
    stretches : of the market that is traded, or of the one it is set against; none for a basket that is not
    """

    capital: float
    unit: Literal["R", "money"]
    course: Course
    stretches: list[Stretch]
    years: list[Year]
    months: list[Month]
    charges: list[Charge]
    earned: list[Grouped]
    excursions: Excursions
    spread: Spread


def numbers_of(
    outcomes: Sequence[Outcome], figures: Figures, swings: Swings, against: Dataset | None = None
) -> Numbers:
    """The numbers of a run: of one market's outcome, or of all of a basket's; holding is `against` another market where
    one is given."""
    record = record_together(outcomes)
    trades = traded(outcomes)
    stretches = _stretches(outcomes[0], outcomes[0], len(outcomes) == 1, trades, swings, against)
    return _numbers(record if against is None else record.against(against), trades, stretches, figures)


def numbers_of_legs(legs: Sequence[Sequence[Outcome]], figures: Figures, swings: Swings) -> Numbers:
    """The numbers of runs one after the other, each as many outcomes as it has markets, as those of one run."""
    trades = traded([outcome for leg in legs for outcome in leg])
    stretches = _stretches(legs[0][0], legs[-1][0], len(legs[0]) == 1, trades, swings, None)
    return _numbers(joined([record_together(leg) for leg in legs]), trades, stretches, figures)


def _numbers(record: Record, trades: Traded, stretches: list[Stretch], figures: Figures) -> Numbers:
    in_r = len(trades) > 0 and not np.isnan(trades.worst_r).any()
    results = trades.r if in_r else trades.net
    ways = (trades.worst_r, trades.best_r) if in_r else (trades.worst, trades.best)
    return Numbers(
        capital=record.capital,
        unit="R" if in_r else "money",
        course=course_of(record),
        stretches=stretches,
        years=years_of(record, trades),
        months=months_of(record, trades),
        charges=_charges(figures, float(trades.gross.sum())),
        earned=earned_by(trades, results),
        excursions=excursions_of(trades.entry_time, *ways, results),
        spread=spread_of(results, trades.net),
    )


def _stretches(
    first: Outcome, last: Outcome, is_one: bool, trades: Traded, swings: Swings, against: Dataset | None
) -> list[Stretch]:
    dataset = first.plan.dataset
    if against is None:
        return stretches_of(dataset, first.first, last.last, trades, swings) if is_one else []
    begins, ends = (int(dataset.calendar.day[bar]) for bar in (first.first, last.last))
    own = np.flatnonzero((against.calendar.day >= begins) & (against.calendar.day <= ends))
    return stretches_of(against, int(own[0]), int(own[-1]), trades, swings) if own.size else []


def _charges(figures: Figures, gross: float) -> list[Charge]:
    found = [Charge("gross", gross, None)]
    for name in ("commission", "spread", "slippage", "financing"):
        money = float(figures[f"total_{name}"] or 0.0)
        found.append(Charge(name, 0.0 - money, 100.0 * money / gross if gross > 0 else None))
    return [*found, Charge("net", float(figures["net_profit"] or 0.0), None)]
