"""Every honest way to distrust one run: stress, resampling, a challenge."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from skelb.core.engine import Account, Outcome, Pool, run, run_basket
from skelb.core.errors import SettingsError, SkelbError
from skelb.core.figures import Figures, figures_of, record_together
from skelb.core.plan import Dataset, Plan, SizeForm, make_dataset, make_plan
from skelb.core.plan.variants import one_bar_later
from skelb.core.trials import (
    BANDS,
    DRAWS,
    ChallengeRules,
    End,
    Kind,
    Measures,
    Timing,
    challenge,
    counted,
    path_of,
    percentile_range,
    resample,
    timings,
    worst_equity,
    worst_together,
)
from skelb.service.backtest import basket_of
from skelb.service.costs import dearer_account, dearer_market
from skelb.service.prepared import Prepared

SHOWN = ("net_profit", "return_over_drawdown", "profit_factor", "max_drawdown_percent", "win_rate", "trades")
_COSTS = (1.5, 2.0, 3.0)
_CHANCE = 0.05
_REAL, _FREE, _EXCHANGED = "as it is", "without costs", "sides exchanged"


@dataclass(frozen=True, slots=True)
class StressRow:
    """A run made worse: its figures, or why it cannot be run."""

    name: str
    figures: Figures | None
    error: str


@dataclass(frozen=True, slots=True)
class StressStep:
    """How far a stress is, and the row just finished; the last step has the timing, where it can be told, and the
    verdict."""

    done: int
    total: int
    row: StressRow | None
    timing: Timing | None
    verdict: list[str] | None


class Stress:
    """A run beside itself made worse: costs, later fills, same-bar policies, sides, other times, other datasets.

    It runs on the dataset that is prepared, or on all of the basket. The same for the same seed. Raises SettingsError
    as `backtest` does.
    """

    def __init__(self, prepared: Prepared, others: Sequence[Dataset] = (), seed: int = 1) -> None:
        self._checked, self._inputs = prepared.checked, dict(prepared.inputs)
        self._datasets = [prepared.dataset]
        if prepared.basket:
            self._datasets = basket_of(prepared.basket, prepared.account, prepared.choices)[0]
        self._account, self._choices, self._pool, self._seed = prepared.account, prepared.choices, Pool(), seed
        self._plans = self._plans_on(self._datasets, self._choices.inverted)
        self._rows = self._made_worse() | {
            f"{other.market.symbol} {other.bars.timeframe}": partial(self._elsewhere, other) for other in others
        }
        self.total = len(self._rows) + DRAWS

    def steps(self) -> Iterator[StressStep]:
        """One step a run: how many are done, of how many, and the row it completes, if any; then one with the verdict.

        A row that cannot be run says why and has no figures.
        """
        found: dict[str, Figures] = {}
        done = 0
        for name, make in self._rows.items():
            done += 1
            try:
                found[name] = make()
            except SkelbError as exc:
                yield self._step(done, StressRow(name, None, str(exc)))
                continue
            yield self._step(done, StressRow(name, {key: found[name][key] for key in SHOWN}, ""))
        timing, why_not = None, ""
        try:
            if len(self._plans) > 1:
                raise SettingsError("what several markets hold hangs together; ask each alone")
            [outcome] = self._outcomes(self._plans)
            for drawn, timed in timings(path_of(outcome), self._seed):
                timing = timed
                yield self._step(done + drawn, None)
        except SettingsError as exc:
            why_not = str(exc)
        yield StressStep(self.total, self.total, None, timing, _verdict(found, timing, why_not))

    def _step(self, done: int, row: StressRow | None) -> StressStep:
        return StressStep(done, self.total, row, None, None)

    def _made_worse(self) -> dict[str, Callable[[], Figures]]:
        """What the rows are called, and how each is run."""
        plans, account = self._plans, self._account
        rows: dict[str, Callable[[], Figures]] = {_REAL: partial(self._figures, plans)}
        rows[_FREE] = partial(self._dearer, 0.0)
        rows |= {f"costs × {times:g}": partial(self._dearer, times) for times in _COSTS}
        rows["one bar later"] = lambda: self._figures([one_bar_later(plan) for plan in plans])
        for policy in ("worst", "path", "detail"):
            if policy != account.same_bar:
                rows[f"same bar: {policy}"] = partial(self._figures, plans, replace(account, same_bar=policy))
        rows[_EXCHANGED] = lambda: self._figures(self._plans_on(self._datasets, not self._choices.inverted))
        return rows

    def _plans_on(self, where: Sequence[Dataset], inverted: bool) -> list[Plan]:
        choices = self._choices
        return [
            make_plan(self._checked, dataset, self._inputs, choices.sides, choices.from_date, choices.to_date, inverted)
            for dataset in where
        ]

    def _outcomes(self, plans: Sequence[Plan], account: Account | None = None) -> list[Outcome]:
        if len(plans) > 1:
            return run_basket(plans, account or self._account)
        return [run(plans[0], account or self._account, self._pool)]

    def _figures(self, plans: Sequence[Plan], account: Account | None = None) -> Figures:
        return figures_of(record_together(self._outcomes(plans, account)))

    def _dearer(self, times: float) -> Figures:
        dear = [
            make_dataset(
                here.stored or here.bars, dearer_market(here.market, times), here.bars.timeframe, here.data_version,
                here.others,
            )
            for here in self._datasets
        ]  # fmt: skip
        return self._figures(self._plans_on(dear, self._choices.inverted), dearer_account(self._account, times))

    def _elsewhere(self, other: Dataset) -> Figures:
        return self._figures(self._plans_on([other], self._choices.inverted))


def _verdict(rows: dict[str, Figures], timing: Timing | None, why_not: str) -> list[str]:
    """What the rows say, in sentences; the gravest first. Of a row that could not be run nothing is said."""
    nets = {name: float(figures["net_profit"] or 0.0) for name, figures in rows.items()}
    if _REAL not in rows:
        return ["It cannot be run as it is: its row says why."]
    if not rows[_REAL]["trades"]:
        return ["There are no trades to doubt."]
    real = nets[_REAL]
    found = _on_losing(nets) if real <= 0 else _on_costs_and_delay(nets)
    found.append(_on_timing(timing, real > 0) if timing else f"Of its times nothing is said: {why_not}.")
    return found


def _on_losing(nets: dict[str, float]) -> list[str]:
    """Why a run loses, as far as its rows tell."""
    lost, free, exchanged = -nets[_REAL], nets.get(_FREE), nets.get(_EXCHANGED)
    found = [f"It loses {lost:,.0f}."]
    if free is not None and free > 0:
        found = [f"It loses {lost:,.0f}; without costs it earns {free:,.0f}: costs are the reason, not the direction."]
    elif free is not None:
        found = [f"It loses {lost:,.0f}, and without costs it still does not earn ({free:,.0f})."]
    if exchanged is not None and exchanged > 0:
        found.append(f"With its sides exchanged it earns {exchanged:,.0f}: the direction is wrong.")
    return found


def _on_costs_and_delay(nets: dict[str, float]) -> list[str]:
    """What is left of what a run earns when it costs more, or comes a bar later."""
    real, dearest, later = nets[_REAL], nets.get("costs × 3"), nets.get("one bar later")
    dead = [name for name, net in nets.items() if name.startswith("costs") and net <= 0]
    found = []
    if dead:
        found.append(f"It does not survive {dead[0]}.")
    elif dearest is not None:
        found.append(f"At three times the costs {dearest:,.0f} of {real:,.0f} is left.")
    if later is not None and later <= 0.5 * real:
        found.append(f"One bar later it earns {later:,.0f} instead of {real:,.0f}: it hangs on the very bar.")
    return found


def _on_timing(timing: Timing, earns: bool) -> str:
    """Whether it matters when the positions are held."""
    if timing.p > _CHANCE:
        worth = "that it trades when it does is worth nothing that can be told from chance"
    else:
        worth = (
            "when it trades is worth something" if earns else "when it trades is better than chance, but does not pay"
        )
    return f"Held as long at other times, its positions do as well in {timing.as_good:,} of {timing.draws:,} histories (p = {timing.p:.3f}): {worth}."  # noqa: E501


def size_compounds(plan: Plan) -> bool:
    """Whether any entry's size follows equity."""
    forms = plan.rules.signals.entries[:, 3]
    return bool(np.isin(forms, (SizeForm.PERCENT, SizeForm.RISK_PERCENT)).any())


@dataclass(frozen=True, slots=True)
class Distribution:
    """How a figure is spread over the samples: the run's own, the mean, percentiles, and how sure each is; a
    histogram."""

    real: float | None
    mean: float | None
    p5: float | None
    p25: float | None
    p50: float | None
    p75: float | None
    p95: float | None
    sure: dict[str, list[float]]
    edges: list[float]
    counts: list[int]


@dataclass(frozen=True, slots=True)
class Redrawn:
    """A run's trades drawn anew: bands of equity over the trades, the run's own among them, and each measure's
    spread."""

    kind: Kind
    compounds: bool
    samples: int
    seed: int
    bands: dict[str, list[float]]
    measures: dict[str, Distribution]
    places: dict[str, float]


def redrawn(outcomes: Sequence[Outcome], kind: Kind, samples: int, seed: int, share: float, block: int) -> Redrawn:
    """The trades of a run, or of a basket's, drawn anew: bands of equity, distributions, and where the run stands in
    them."""
    record = record_together(outcomes)
    follows = size_compounds(outcomes[0].plan)
    found = resample(record.net, record.capital, kind, samples, seed, share, block, follows)
    drawn = {f"p{p}": row.tolist() for p, row in zip(BANDS, found.bands, strict=True)}
    return Redrawn(
        kind=kind,
        compounds=found.compounds,
        samples=samples,
        seed=seed,
        bands={"at": found.at.tolist(), **drawn, "real": found.path.tolist()},
        measures={name: distribution_of(found.samples, found.real, name) for name in Measures.__annotations__},
        places=found.places,
    )


def distribution_of(samples: Measures, real: Measures, name: str) -> Distribution:
    """How one measure of some samples is spread, beside the run's own."""
    values = getattr(samples, name)
    known = values[np.isfinite(values)]
    cuts = np.percentile(known, BANDS) if known.size else np.full(len(BANDS), np.nan)
    own = float(getattr(real, name)[0])
    p5, p25, p50, p75, p95 = (None if cut != cut else float(cut) for cut in cuts)
    edges, counts = counted(values)
    return Distribution(
        own if np.isfinite(own) else None,
        float(known.mean()) if known.size else None,
        p5,
        p25,
        p50,
        p75,
        p95,
        sure={f"p{p}": list(percentile_range(known, p)) for p in BANDS} if known.size else {},
        edges=edges.tolist(),
        counts=counts.tolist(),
    )


INSIDE_BARS = (
    "Losses are looked at at the worst price of every bar that a position is held through, and at its close where a"
    " position begins or ends inside it."
)


@dataclass(frozen=True, slots=True)
class ChallengeEnd:
    """How a challenge begun on a day ended, and after how many trading days."""

    day: str
    end: End
    days: int


@dataclass(frozen=True, slots=True)
class Challenged:
    """A challenge begun on every day: shares of the ends with bands of 95 %, None where no start was decided."""

    rules: ChallengeRules
    starts: int
    note: str
    decided: int
    shares: dict[str, float | None]
    bands: dict[str, list[float]] | None
    days_to_pass: dict[str, float] | None
    ends: list[ChallengeEnd]


def challenged(outcomes: Sequence[Outcome], rules: ChallengeRules) -> Challenged:
    """A challenge begun on every trading day of a run, or of a basket's: the shares of its ends, and the days it took
    to pass."""
    record = record_together(outcomes)
    worst = worst_equity(outcomes[0]) if len(outcomes) == 1 else worst_together(outcomes, record.equity)
    found = challenge(record.equity, record.day_of_points, record.capital, rules, worst)
    passed = found.days[[end == "passed" for end in found.ends]]
    shares = found.shares()
    names: tuple[End, ...] = ("passed", "daily loss", "total loss", "timed out")
    return Challenged(
        rules=rules,
        starts=len(found.ends),
        note=INSIDE_BARS,
        decided=sum(end != "unfinished" for end in found.ends),
        shares={name: shares[name].share if shares else None for name in names},
        bands={name: [shares[name].low, shares[name].high] for name in names} if shares else None,
        days_to_pass=None if passed.size == 0 else {"median": float(np.median(passed)), "most": int(passed.max())},
        ends=[
            ChallengeEnd(str(np.datetime64(int(day), "D")), end, int(took))
            for day, end, took in zip(found.starts, found.ends, found.days, strict=True)
        ],
    )
