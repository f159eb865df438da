"""Every honest way to distrust one run, as documents: stress, resampling, a challenge."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, replace
from functools import partial
from typing import Any

import numpy as np

from skelb.core.bars import Commission, Market
from skelb.core.engine import Account, Outcome, Pool, run
from skelb.core.errors import SkelbError
from skelb.core.figures import Figures, figures_of, record_of
from skelb.core.language import Checked
from skelb.core.plan import Dataset, Plan, input_values, make_dataset, make_plan
from skelb.core.plan.variants import one_bar_later, with_random_entries
from skelb.core.trials import BANDS, End, Kind, Measures, Rules, challenge, counted, resample
from skelb.service.backtest import Choices

Document = dict[str, Any]
SHOWN = ("net_profit", "return_over_drawdown", "profit_factor", "max_drawdown_percent", "win_rate", "trades")
_COSTS = (1.5, 2.0, 3.0)
_RANDOM_RUNS = 50
_REAL = "as it is"


class Stress:
    """A run beside itself made worse: costs, later fills, same-bar policies, sides, random entries, other datasets.

    The same for the same seed. Raises SettingsError as `backtest` does.
    """

    def __init__(
        self,
        checked: Checked,
        dataset: Dataset,
        account: Account,
        choices: Choices,
        others: Sequence[Dataset] = (),
        seed: int = 1,
    ) -> None:
        self._checked, self._dataset, self._account, self._choices = checked, dataset, account, choices
        self._inputs, self._pool, self._seed = input_values(checked, choices.inputs), Pool(), seed
        self._plan = self._plan_on(dataset, choices.inverted)
        self._rows = self._made_worse() | {
            f"{other.market.symbol} {other.bars.timeframe}": partial(self._elsewhere, other) for other in others
        }
        self.total = len(self._rows) + _RANDOM_RUNS

    def steps(self) -> Iterator[Document]:
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
                yield self._step(done, {"name": name, "figures": None, "error": str(exc)})
                continue
            yield self._step(done, _row(name, found[name]))
        drawn: list[Figures] = []
        rng = np.random.default_rng(self._seed)
        for _ in range(_RANDOM_RUNS):
            drawn.append(self._figures(with_random_entries(self._plan, rng)))
            done += 1
            yield self._step(done, None)
        nets = np.array([float(figures["net_profit"] or 0.0) for figures in drawn])
        middle = drawn[int(np.argsort(nets, kind="stable")[nets.size // 2])]
        beaten = float(np.mean(nets < float(found[_REAL]["net_profit"] or 0.0)))
        yield self._step(done, _row("random entries, the median", middle)) | {
            "random": {"runs": _RANDOM_RUNS, "beaten": beaten, "nets": nets.tolist()},
            "verdict": _verdict(found, beaten),
        }

    def _step(self, done: int, row: Document | None) -> Document:
        return {"done": done, "total": self.total, "row": row, "random": None, "verdict": None}

    def _made_worse(self) -> dict[str, Callable[[], Figures]]:
        """What the rows are called, and how each is run."""
        plan, account = self._plan, self._account
        rows: dict[str, Callable[[], Figures]] = {_REAL: partial(self._figures, plan)}
        rows |= {f"costs × {times:g}": partial(self._dearer, times) for times in _COSTS}
        rows["one bar later"] = lambda: self._figures(one_bar_later(plan))
        for policy in ("worst", "path", "detail"):
            if policy != account.same_bar:
                rows[f"same bar: {policy}"] = partial(self._figures, plan, replace(account, same_bar=policy))
        rows["sides exchanged"] = lambda: self._figures(self._plan_on(self._dataset, not self._choices.inverted))
        return rows

    def _plan_on(self, where: Dataset, inverted: bool) -> Plan:
        choices = self._choices
        return make_plan(
            self._checked, where, self._inputs, choices.sides, choices.from_date, choices.to_date, inverted
        )

    def _figures(self, plan: Plan, account: Account | None = None) -> Figures:
        return figures_of(record_of(run(plan, account or self._account, self._pool)))

    def _dearer(self, times: float) -> Figures:
        here = self._dataset
        market = _dearer(here.market, times)
        dear = make_dataset(here.stored or here.bars, market, here.bars.timeframe, here.data_version, here.others)
        return self._figures(self._plan_on(dear, self._choices.inverted), _dearer_account(self._account, times))

    def _elsewhere(self, other: Dataset) -> Figures:
        return self._figures(self._plan_on(other, self._choices.inverted))


def stress_document(stress: Stress) -> Document:
    """All rows of a stress, its random entries and its verdict."""
    steps = list(stress.steps())
    return {"rows": [step["row"] for step in steps if step["row"]], "random": steps[-1]["random"], "verdict": steps[-1]["verdict"]}  # fmt: skip


def _row(name: str, found: Figures) -> Document:
    return {"name": name, "figures": {key: found[key] for key in SHOWN}, "error": ""}


def _verdict(rows: dict[str, Figures], beaten: float) -> list[str]:
    """What the rows say, in sentences; the gravest first."""

    def net(name: str) -> float:
        return float(rows[name]["net_profit"] or 0.0)

    found = []
    if not rows[_REAL]["trades"]:
        return ["There are no trades to doubt."]
    if net(_REAL) <= 0 and net("sides exchanged") <= 0:
        found.append("Both ways lose, the rules and their opposite: costs are the reason, not the direction.")
    elif net(_REAL) <= 0:
        found.append("It loses as it is.")
    if net(_REAL) > 0:
        dead = [name for name in rows if name.startswith("costs") and net(name) <= 0]
        left = f"At three times the costs {net('costs × 3'):,.0f} of {net(_REAL):,.0f} is left."
        found.append(f"It does not survive {dead[0]}." if dead else left)
        later = net("one bar later")
        if later <= 0.5 * net(_REAL):
            found.append(f"One bar later it earns {later:,.0f} instead of {net(_REAL):,.0f}: it hangs on the very bar.")
    if beaten >= 0.95:
        worth = (
            "the entry is worth something" if net(_REAL) > 0 else "the entry is better than chance, but does not pay"
        )
    else:
        worth = "the entry is worth little" if beaten >= 0.6 else "the entry is worth nothing"
    found.append(f"It beats {beaten:.0%} of {_RANDOM_RUNS} runs that enter at random with the same exits: {worth}.")
    return found


def _dearer(market: Market, times: float) -> Market:
    hourly = None if market.spread_by_hour is None else tuple(item * times for item in market.spread_by_hour)
    own = market.commission
    financing = (market.financing_long, market.financing_short)  # what is earned does not grow with the costs
    return replace(
        market, spread=market.spread * times, spread_by_hour=hourly,
        commission=None if own is None else _times(own, times),
        financing_long=financing[0] * (times if financing[0] > 0 else 1.0),
        financing_short=financing[1] * (times if financing[1] > 0 else 1.0),
    )  # fmt: skip


def _dearer_account(account: Account, times: float) -> Account:
    return replace(account, commission=_times(account.commission, times), slippage_ticks=account.slippage_ticks * times)


def _times(fees: Commission, times: float) -> Commission:
    return Commission(fees.percent * times, fees.per_unit * times, fees.per_order * times, fees.minimum * times)


def resample_document(outcome: Outcome, kind: Kind, samples: int, seed: int, share: float, block: int) -> Document:
    """The trades of a run drawn anew: bands of equity, distributions, and where the run stands in them."""
    found = resample(outcome.trades.net, outcome.capital, kind, samples, seed, share, block)
    return {
        "kind": kind,
        "samples": samples,
        "seed": seed,
        "bands": {
            "at": found.at.tolist(),
            **{f"p{p}": row.tolist() for p, row in zip(BANDS, found.bands, strict=True)},
            "real": found.path.tolist(),
        },
        "measures": {name: _distribution(found.samples, found.real, name) for name in Measures.__annotations__},
        "places": found.places,
    }


def _distribution(samples: Measures, real: Measures, name: str) -> Document:
    values = getattr(samples, name)
    known = values[np.isfinite(values)]
    cuts = np.percentile(known, BANDS) if known.size else np.full(len(BANDS), np.nan)
    own = float(getattr(real, name)[0])
    edges, counts = counted(values)
    return {
        "real": own if np.isfinite(own) else None,
        "mean": float(known.mean()) if known.size else None,
        **{f"p{p}": None if cut != cut else float(cut) for p, cut in zip(BANDS, cuts, strict=True)},
        "edges": edges.tolist(),
        "counts": counts.tolist(),
    }


def challenge_document(outcome: Outcome, rules: Rules) -> Document:
    """A challenge begun on every trading day of a run: the shares of its ends, and the days it took to pass."""
    days = outcome.plan.dataset.calendar.day[outcome.first : outcome.last + 1]
    found = challenge(outcome.equity, days, outcome.capital, rules)
    passed = found.days[[end == "passed" for end in found.ends]]
    names: tuple[End, ...] = ("passed", "daily loss", "total loss", "timed out")
    return {
        "rules": asdict(rules),
        "starts": len(found.ends),
        "decided": sum(end != "unfinished" for end in found.ends),
        "shares": {name: found.share(name) for name in names},
        "days_to_pass": None if passed.size == 0 else {"median": float(np.median(passed)), "most": int(passed.max())},
        "ends": [
            {"day": str(np.datetime64(int(day), "D")), "end": end, "days": int(took)}
            for day, end, took in zip(found.starts, found.ends, found.days, strict=True)
        ],
    }
