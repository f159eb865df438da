"""Every honest way to distrust one run, as documents: stress, resampling, a challenge."""

from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from skelb.core.bars import Commission, Market
from skelb.core.engine import Account, Outcome, Pool, run
from skelb.core.figures import Figures, figures_of, record_of
from skelb.core.language import Checked
from skelb.core.plan import Dataset, Plan, input_values, make_dataset, make_plan
from skelb.core.plan.variants import one_bar_later, with_random_entries
from skelb.core.trials import BANDS, End, Kind, Measures, Rules, challenge, resample
from skelb.service.backtest import Choices

Document = dict[str, Any]
SHOWN = ("net_profit", "return_over_drawdown", "profit_factor", "max_drawdown_percent", "win_rate", "trades")
_COSTS = (1.5, 2.0, 3.0)
_RANDOM_RUNS = 50


def stress_document(
    checked: Checked,
    dataset: Dataset,
    account: Account,
    choices: Choices,
    others: Sequence[Dataset] = (),
    seed: int = 1,
) -> Document:
    """The run beside itself made worse: costs, later fills, same-bar policies, sides, random entries, other datasets.

    The same for the same seed. Raises SettingsError as `backtest` does.
    """
    inputs, pool = input_values(checked, choices.inputs), Pool()

    def plan_on(where: Dataset, inverted: bool = False) -> Plan:
        return make_plan(checked, where, inputs, choices.sides, choices.from_date, choices.to_date, inverted)

    def figures_on(plan: Plan, conditions: Account = account) -> Figures:
        return figures_of(record_of(run(plan, conditions, pool)))

    plan = plan_on(dataset, choices.inverted)
    real = figures_on(plan)
    rows: list[tuple[str, Figures]] = [("as it is", real)]
    for times in _COSTS:
        market = _dearer(dataset.market, times)
        dear = make_dataset(
            dataset.stored or dataset.bars, market, dataset.bars.timeframe, dataset.data_version, dataset.others
        )
        rows.append(
            (f"costs × {times:g}", figures_on(plan_on(dear, choices.inverted), _dearer_account(account, times)))
        )
    rows.append(("one bar later", figures_on(one_bar_later(plan))))
    for policy in ("worst", "path", "detail"):
        if policy != account.same_bar:
            rows.append((f"same bar: {policy}", figures_on(plan, replace(account, same_bar=policy))))
    rows.append(("sides exchanged", figures_on(plan_on(dataset, not choices.inverted))))
    rng = np.random.default_rng(seed)
    drawn = [figures_on(with_random_entries(plan, rng)) for _ in range(_RANDOM_RUNS)]
    nets = np.array([float(found["net_profit"] or 0.0) for found in drawn])
    rows.append(("random entries, the median", drawn[int(np.argsort(nets, kind="stable")[nets.size // 2])]))
    for other in others:
        rows.append((f"{other.market.symbol} {other.bars.timeframe}", figures_on(plan_on(other, choices.inverted))))
    beaten = float(np.mean(nets < float(real["net_profit"] or 0.0)))
    named = dict(rows)
    return {
        "rows": [{"name": name, "figures": {key: found[key] for key in SHOWN}} for name, found in rows],
        "random": {"runs": _RANDOM_RUNS, "beaten": beaten, "nets": nets.tolist()},
        "verdict": _verdict(named, beaten),
    }


def _verdict(rows: dict[str, Figures], beaten: float) -> list[str]:
    """What the rows say, in sentences; the gravest first."""

    def net(name: str) -> float:
        return float(rows[name]["net_profit"] or 0.0)

    found = []
    if not rows["as it is"]["trades"]:
        return ["There are no trades to doubt."]
    if net("as it is") <= 0 and net("sides exchanged") <= 0:
        found.append("Both ways lose, the rules and their opposite: costs are the reason, not the direction.")
    elif net("as it is") <= 0:
        found.append("It loses as it is.")
    if net("as it is") > 0:
        dead = [name for name in rows if name.startswith("costs") and net(name) <= 0]
        left = f"At three times the costs {net('costs × 3'):,.0f} of {net('as it is'):,.0f} is left."
        found.append(f"It does not survive {dead[0]}." if dead else left)
        later = net("one bar later")
        if later <= 0.5 * net("as it is"):
            found.append(
                f"One bar later it earns {later:,.0f} instead of {net('as it is'):,.0f}: it hangs on the very bar."
            )
    worth = (
        "the entry is worth something" if beaten >= 0.95 else "the entry is worth little" if beaten >= 0.6 else "the entry is worth nothing"
    )  # fmt: skip
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
        },
        "measures": {name: _distribution(found.samples, found.real, name) for name in Measures.__annotations__},
        "places": found.places,
    }


def _distribution(samples: Measures, real: Measures, name: str) -> Document:
    values = getattr(samples, name)
    known = values[np.isfinite(values)]
    cuts = np.percentile(known, BANDS) if known.size else np.full(len(BANDS), np.nan)
    own = float(getattr(real, name)[0])
    return {
        "real": own if np.isfinite(own) else None,
        "mean": float(known.mean()) if known.size else None,
        **{f"p{p}": None if cut != cut else float(cut) for p, cut in zip(BANDS, cuts, strict=True)},
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
