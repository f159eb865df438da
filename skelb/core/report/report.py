"""All that a report says of a run's numbers."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.engine import Outcome
from skelb.core.figures import Figures, record_together
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
    record, trades = record_together(outcomes), traded(outcomes)
    if against is not None:
        record = record.against(against)
    in_r = len(trades) > 0 and not np.isnan(trades.worst_r).any()
    results = trades.r if in_r else trades.net
    ways = (trades.worst_r, trades.best_r) if in_r else (trades.worst, trades.best)
    return Numbers(
        capital=record.capital,
        unit="R" if in_r else "money",
        course=course_of(record),
        stretches=_stretches(outcomes, trades, swings, against),
        years=years_of(record, trades),
        months=months_of(record, trades),
        charges=_charges(figures, float(trades.gross.sum())),
        earned=earned_by(trades, results),
        excursions=excursions_of(trades.entry_time, *ways, results),
        spread=spread_of(results, trades.net),
    )


def _stretches(outcomes: Sequence[Outcome], trades: Traded, swings: Swings, against: Dataset | None) -> list[Stretch]:
    plan = outcomes[0].plan
    if against is None:
        return stretches_of(plan.dataset, plan.first, plan.last, trades, swings) if len(outcomes) == 1 else []
    begins, ends = (int(plan.dataset.calendar.day[bar]) for bar in (plan.first, plan.last))
    own = np.flatnonzero((against.calendar.day >= begins) & (against.calendar.day <= ends))
    return stretches_of(against, int(own[0]), int(own[-1]), trades, swings) if own.size else []


def _charges(figures: Figures, gross: float) -> list[Charge]:
    found = [Charge("gross", gross, None)]
    for name in ("commission", "spread", "slippage", "financing"):
        money = float(figures[f"total_{name}"] or 0.0)
        found.append(Charge(name, 0.0 - money, 100.0 * money / gross if gross > 0 else None))
    return [*found, Charge("net", float(figures["net_profit"] or 0.0), None)]
