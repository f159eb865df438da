"""The engine and the plain simulator agree trade by trade, cost by cost, equity bar by bar."""

import os

import numpy as np
import pytest

from skelb.core.bars import Bars, Commission, Market, Timeframe
from skelb.core.engine import Account, Reason, Skip, run, run_basket
from skelb.core.figures import figures_of, record_of
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan
from tests.reference.cases import gathered, random_account, random_bars, random_market, random_strategy
from tests.reference.figures import plain_figures
from tests.reference.simulator import Purse, Simulator, run_together

CASES = int(os.environ.get("SKELB_REFERENCE_CASES", "1200"))
BATCHES = 12


def engine_dataset(bars, market, minutes, timeframe=None, symbol="TEST"):
    """The engine's dataset of plain bars, on `timeframe` minutes where it is longer than that of the bars."""
    columns = {name: np.array([bar[name] for bar in bars], float) for name in ("open", "high", "low", "close")}
    stored = Bars(
        Timeframe(minutes), np.array([bar["time"] for bar in bars], np.int64), **columns, volume=np.ones(len(bars))
    )
    names = ("zone", "session", "tick", "pip", "point_value", "currency_rate", "lot_step", "min_lot", "spread",
             "spread_unit", "quotes", "financing_long", "financing_short", "triple_day")  # fmt: skip
    days = "mon-fri" if market["last_weekday"] == 4 else "mon-sun"
    described = Market(symbol, days=days, **{name: market[name] for name in names})
    return make_dataset(stored, described, Timeframe(timeframe) if timeframe else None)


def engine_account(account):
    fees = Commission(
        account["commission_percent"],
        account["commission_per_unit"],
        account["commission_per_order"],
        account["commission_minimum"],
    )
    others = ("capital", "slippage_ticks", "leverage", "same_bar", "short_of_margin", "stop_out", "max_open_total")
    return Account(commission=fees, **{name: account[name] for name in others if name in account})


def sound(script):
    checked = check(script)
    assert checked.is_sound, (script, checked.diagnostics)
    return checked


def both_outcomes(seed):
    """A random case run by the engine and by the plain simulator: outcome, simulator, label; None without bars."""
    rng = np.random.default_rng(seed)
    market, account = random_market(rng), random_account(rng)
    minutes = int(rng.choice([15, 30, 60]))
    fine = 5 if account["same_bar"] == "detail" else minutes
    bars = random_bars(rng, market, fine, int(rng.integers(1, 9 if fine > 5 else 4)), float(rng.choice([0, 0.2])))
    if not bars:
        return None
    dataset, pieces = engine_dataset(bars, market, fine, minutes), None
    if fine < minutes:
        bars, pieces = gathered(bars, market, minutes)
    script, rules = random_strategy(rng, bars, market["tick"])
    outcome = run(make_plan(sound(script), dataset, {}), engine_account(account))
    expected = Simulator(bars, rules, market, account, minutes * 60, pieces=pieces).run()
    return outcome, expected, f"seed {seed}\n{script}\n{market}\n{account}"


def both_baskets(seed):
    """Two or three random markets on one account, run by both: outcomes, simulators, label; None without bars."""
    rng = np.random.default_rng(seed)
    account = random_account(rng) | {"same_bar": str(rng.choice(["worst", "path"]))}
    if rng.random() < 0.5:
        account["max_open_total"] = int(rng.integers(1, 3))
    minutes, place = int(rng.choice([15, 30, 60])), rng.bit_generator.state
    count, purse, plans, desks = 2 + int(rng.random() < 0.4), Purse(account), [], []
    days = int(rng.integers(1, 6))
    story = int(rng.integers(0, 1 << 30))
    for number in range(count):
        market = random_market(rng) | {"pip": 0.1}
        bars = random_bars(rng, market, minutes, days, float(rng.choice([0, 0.2])))
        if not bars:
            return None
        script, rules = random_strategy(np.random.default_rng(story), bars, market["tick"])
        desks.append(Simulator(bars, rules, market, account, minutes * 60, purse=purse))
        dataset = engine_dataset(bars, market, minutes, symbol=f"M{number}")
        plans.append(make_plan(sound(script), dataset, {}))
    run_together(desks)
    return (
        run_basket(plans, engine_account(account)),
        desks,
        f"seed {seed} {place['bit_generator']}\n{script}\n{account}",
    )


def assert_same(outcome, expected, label):
    trades = outcome.trades
    assert len(trades) == len(expected.trades), label
    names = {0: "open", 1: "inside", 2: "close"}
    for row, trade in enumerate(expected.trades):
        found = (int(trades.side[row]), int(trades.entry_bar[row]), int(trades.exit_bar[row]), outcome.exit_reason(row),
                 names[int(trades.moment[row])], bool(trades.ambiguous[row]), outcome.entry_rule(row).name)  # fmt: skip
        wanted = (
            trade["side"],
            trade["entry_bar"],
            trade["exit_bar"],
            trade["reason"],
            trade["moment"],
            trade["ambiguous"],
            trade["name"],
        )
        assert found == wanted, (label, row)
        columns = {"entry_price": "entry_price", "exit_price": "exit_price", "units": "units", "gross": "gross",
                   "commission": "commission", "spread": "spread", "slippage": "slippage",
                   "financing": "financing", "net": "net", "r": "r", "best": "best",
                   "worst": "worst", "stop": "stop", "target": "target"}  # fmt: skip
        for name, column in columns.items():
            plain = np.nan if trade[name] is None else trade[name]
            np.testing.assert_allclose(
                trades.rows[column][row], plain, rtol=1e-9, atol=1e-7, err_msg=f"{label} {row} {name}"
            )
    skipped = [(int(time), int(side), Skip(int(reason)).word) for time, side, reason in
               zip(outcome.moment_times(outcome.skips["bar"], outcome.skips["moment"]), outcome.skips["side"], outcome.skips["reason"], strict=True)]  # fmt: skip
    assert skipped == [(item["time"], item["side"], item["reason"]) for item in expected.skipped], label
    np.testing.assert_allclose(outcome.equity, expected.equity, rtol=1e-9, atol=1e-6, err_msg=label)
    assert outcome.is_ruined == expected.ruined, label


def assert_same_figures(outcome, expected, label):
    bars, calendar, span = (
        outcome.plan.dataset.bars,
        outcome.plan.dataset.calendar,
        slice(outcome.first, outcome.last + 1),
    )
    trades = [
        trade | {"held": held, "bars": range(trade["entry_bar"], trade["entry_bar"] + held)}
        for trade in expected.trades
        for held in [trade["exit_bar"] - trade["entry_bar"] + (trade["moment"] != "open")]
    ]
    plain = plain_figures(
        trades, list(expected.equity), outcome.capital, calendar.day[span].tolist(), calendar.close_time[span].tolist(),
        int(bars.time[outcome.first]), bars.close[span].tolist(), float(bars.open[outcome.first]),
    )  # fmt: skip
    found = figures_of(record_of(outcome))
    for name, value in plain.items():
        assert found[name] == (None if value is None else pytest.approx(value, rel=1e-6, abs=1e-6)), (name, label)


@pytest.mark.parametrize("batch", range(BATCHES))
def test_engine_agrees_with_the_plain_simulator(batch):
    reasons, traded, in_parts, of_rules = set(), 0, 0, 0
    for number in range(batch, CASES, BATCHES):
        found = both_outcomes(number)
        if found is None:
            continue
        outcome, expected, label = found
        assert_same(outcome, expected, label)
        assert_same_figures(outcome, expected, label)
        traded += len(outcome.trades)
        in_parts += int((outcome.trades.ends_lot == 0).sum())
        of_rules += int((outcome.trades.reason == Reason.RULE).sum())
        reasons |= {trade["reason"] for trade in expected.trades}
    assert traded > 100  # the random strategies do trade, or agreement would say little
    assert min(in_parts, of_rules) > 5
    assert {"stop", "target", "reverse", "flat", "time", "end of data", "trail"} <= reasons


@pytest.mark.parametrize("batch", range(BATCHES))
def test_baskets_agree_with_the_plain_simulator(batch):
    traded = 0
    for number in range(batch, CASES // 4, BATCHES):
        found = both_baskets(number)
        if found is None:
            continue
        outcomes, desks, label = found
        for outcome, desk in zip(outcomes, desks, strict=True):
            assert_same(outcome, desk, label)
            traded += len(outcome.trades)
    assert traded > 100


@pytest.mark.parametrize("seed", [9462, 4424, 54980, 105190, 328124, 335089, 336651, 389930])
def test_cases_that_once_differed(seed):
    assert_same(*both_outcomes(seed))
    assert_same_figures(*both_outcomes(seed))
