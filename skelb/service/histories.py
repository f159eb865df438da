"""A run on other histories, made from its market's own bars, and its place among them."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Bars
from skelb.core.engine import Outcome, Pool, run
from skelb.core.errors import SettingsError
from skelb.core.figures import figures_of, record_of
from skelb.core.language.tree import FromMarket, Name
from skelb.core.language.walk import parts_within
from skelb.core.plan import Dataset, make_dataset, make_plan
from skelb.core.trials import HistoryMaker, HistoryRules, Measures
from skelb.service.distrust import Distribution, distribution_of
from skelb.service.prepared import Prepared

_EVEN = 1e-9


@dataclass(frozen=True, slots=True)
class OtherHistories:
    """What a run comes to on histories made from its market's bars: each measure's spread, the share of histories that
    were worse than its own, and the verdict."""

    rules: HistoryRules
    measures: dict[str, Distribution]
    places: dict[str, float]
    earning: float
    verdict: str


@dataclass(frozen=True, slots=True)
class HistoryStep:
    """How many histories are done, of how many; the last step has what they come to."""

    done: int
    total: int
    found: OtherHistories | None


class MadeHistories:
    """A prepared run on its own bars and on those of `rules`. The same for the same seed.

    Raises SettingsError for a basket, a script that reads other markets, and bars of which no histories can be made.
    """

    def __init__(self, prepared: Prepared, rules: HistoryRules) -> None:
        if prepared.basket:
            raise SettingsError("histories are made of one market's bars; ask each market of the basket alone")
        others = _markets_read(prepared)
        if others:
            raise SettingsError(f"histories are made of one market's bars; this script reads {', '.join(others)} too")
        self._prepared, self._rules, self._pool = prepared, rules, Pool()
        dataset = prepared.dataset
        has_breaks = len(dataset.market.ranges) > 1 and dataset.stored is not None
        whole = make_dataset(dataset.stored, dataset.market) if has_breaks and dataset.stored is not None else dataset
        self._maker = HistoryMaker(whole, rules)
        self._real = self._outcome(dataset)

    def steps(self) -> Iterator[HistoryStep]:
        """How far it is after each history, and with the last what they come to."""
        total, rows = self._rules.histories, [_measured(self._real)]
        for number in range(total):
            rows.append(_measured(self._outcome(self._dataset(self._maker.make(number)))))
            if number + 1 < total:
                yield HistoryStep(number + 1, total, None)
        table = np.array(rows)
        real, found = (Measures(*part.T) for part in (table[:1], table[1:]))
        yield HistoryStep(total, total, self._told(real, found))

    def _dataset(self, bars: Bars) -> Dataset:
        here = self._prepared.dataset
        return make_dataset(bars, here.market, here.bars.timeframe)

    def _outcome(self, dataset: Dataset) -> Outcome:
        prepared = self._prepared
        choices = prepared.choices
        days = choices.from_date, choices.to_date
        plan = make_plan(prepared.checked, dataset, prepared.inputs, choices.sides, *days, choices.inverted)
        return run(plan, prepared.account, self._pool)

    def _told(self, real: Measures, found: Measures) -> OtherHistories:
        places = {
            "net": float(np.mean(found.net < real.net[0] - _EVEN)),
            "drawdown": float(np.mean(found.drawdown > real.drawdown[0] + _EVEN)),
            "over_drawdown": float(np.mean(found.over_drawdown < real.over_drawdown[0] - _EVEN)),
            "losing": float(np.mean(found.losing > real.losing[0])),
        }
        earning = float(np.mean(found.net > 0))
        measures = {name: distribution_of(found, real, name) for name in Measures.__annotations__}
        return OtherHistories(self._rules, measures, places, earning, _verdict(real, found, places["net"], earning))


def _markets_read(prepared: Prepared) -> list[str]:
    """The other markets that a script, or its market's currency rate, reads."""
    rate = prepared.dataset.market.currency_rate
    found = {rate} if isinstance(rate, str) else set()
    for placed in prepared.checked.statements:
        for part in parts_within(placed.statement):
            if isinstance(part, FromMarket):
                found.add(str(prepared.inputs[part.symbol.name]) if isinstance(part.symbol, Name) else part.symbol)
    return sorted(found)


def _measured(outcome: Outcome) -> list[float]:
    """In the order of `Measures`: net, drawdown, the one over the other, longest losing run, whether it was ruined."""
    found = figures_of(record_of(outcome))
    over, losing = found["return_over_drawdown"], found["longest_losing_run"]
    return [
        float(found["net_profit"] or 0.0),
        float(found["max_drawdown"] or 0.0),
        float("nan") if over is None else float(over),
        float(losing or 0.0),
        float(outcome.is_ruined),
    ]


def _verdict(real: Measures, found: Measures, place: float, earning: float) -> str:
    net, middle = float(real.net[0]), float(np.median(found.net))
    start = f"It earned in {earning:.0%} of {found.net.size:,} made histories, {middle:,.0f} in the middle"
    if net <= 0:
        return f"{start}; on its own bars it earned nothing ({net:,.0f}), which is more than in {place:.0%} of them."
    told = f"{start}; its own {net:,.0f} is more than in {place:.0%} of them"
    if middle <= 0:
        return f"{told}: it hangs on the order in which its days came."
    if place >= 0.9:
        return f"{told}: expect less than its own history shows."
    if earning >= 0.9:
        return f"{told}: it does not hang on the order in which its days came."
    return f"{told}: part of it is the order in which its days came."
