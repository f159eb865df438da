"""The engine and the plain simulator agree trade by trade, cost by cost, equity bar by bar."""

import os

import numpy as np
import pytest

from skelb.core.bars import Bars, Commission, Market, Timeframe
from skelb.core.engine import SKIP_REASONS, Account, kernel, run
from skelb.core.language import check
from skelb.core.plan import make_dataset, make_plan
from tests.reference.cases import random_account, random_bars, random_market, random_strategy
from tests.reference.simulator import Simulator

CASES = int(os.environ.get("SKELB_REFERENCE_CASES", "1200"))
BATCHES = 12


def engine_outcome(script, bars, market, account, minutes):
    """The engine's outcome for the same plain descriptions that the simulator takes."""
    columns = {name: np.array([bar[name] for bar in bars], float) for name in ("open", "high", "low", "close")}
    stored = Bars(
        Timeframe(minutes), np.array([bar["time"] for bar in bars], np.int64), **columns, volume=np.ones(len(bars))
    )
    names = ("zone", "session", "tick", "pip", "point_value", "currency_rate", "lot_step", "min_lot", "spread",
             "spread_unit", "quotes", "financing_long", "financing_short", "triple_day")  # fmt: skip
    days = "mon-fri" if market["last_weekday"] == 4 else "mon-sun"
    dataset = make_dataset(stored, Market("TEST", days=days, **{name: market[name] for name in names}))
    fees = Commission(
        account["commission_percent"],
        account["commission_per_unit"],
        account["commission_per_order"],
        account["commission_minimum"],
    )
    others = ("capital", "slippage_ticks", "leverage", "same_bar", "short_of_margin", "stop_out")
    checked = check(script)
    assert checked.is_sound, (script, checked.diagnostics)
    return run(make_plan(checked, dataset, {}), Account(commission=fees, **{name: account[name] for name in others}))


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
        columns = {"entry_price": kernel.TF_ENTRY_PRICE, "exit_price": kernel.TF_EXIT_PRICE, "units": kernel.TF_UNITS, "gross": kernel.TF_GROSS,
                   "commission": kernel.TF_COMMISSION, "spread": kernel.TF_SPREAD, "slippage": kernel.TF_SLIPPAGE,
                   "financing": kernel.TF_FINANCING, "net": kernel.TF_NET, "r": kernel.TF_R, "best": kernel.TF_BEST,
                   "worst": kernel.TF_WORST, "stop": kernel.TF_STOP, "target": kernel.TF_TARGET}  # fmt: skip
        for name, column in columns.items():
            plain = np.nan if trade[name] is None else trade[name]
            np.testing.assert_allclose(
                trades.column(column)[row], plain, rtol=1e-9, atol=1e-7, err_msg=f"{label} {row} {name}"
            )
    skipped = [(int(time), int(side), SKIP_REASONS[int(reason)]) for time, side, reason in
               zip(outcome.moment_times(outcome.skips[:, 0], outcome.skips[:, 3]), outcome.skips[:, 1], outcome.skips[:, 2], strict=True)]  # fmt: skip
    assert skipped == [(item["time"], item["side"], item["reason"]) for item in expected.skipped], label
    np.testing.assert_allclose(outcome.equity, expected.equity, rtol=1e-9, atol=1e-6, err_msg=label)
    assert outcome.is_ruined == expected.ruined, label


@pytest.mark.parametrize("batch", range(BATCHES))
def test_engine_agrees_with_the_plain_simulator(batch):
    reasons, traded = set(), 0
    for number in range(batch, CASES, BATCHES):
        rng = np.random.default_rng(number)
        market, account = random_market(rng), random_account(rng)
        minutes = int(rng.choice([15, 30, 60]))
        bars = random_bars(rng, market, minutes, int(rng.integers(1, 9)), float(rng.choice([0, 0.2])))
        if not bars:
            continue
        script, rules = random_strategy(rng, bars, market["tick"])
        outcome = engine_outcome(script, bars, market, account, minutes)
        expected = Simulator(bars, rules, market, account, minutes * 60).run()
        assert_same(outcome, expected, f"seed {number}\n{script}\n{market}\n{account}")
        traded += len(outcome.trades)
        reasons |= {trade["reason"] for trade in expected.trades}
    assert traded > 100  # the random strategies do trade, or agreement would say little
    assert {"stop", "target", "reverse", "flat", "time", "end of data", "trail"} <= reasons


@pytest.mark.parametrize("seed", [9462, 4424])
def test_cases_that_once_differed(seed):
    """A flat time on the night when the clock jumps over it and the session's end."""
    rng = np.random.default_rng(seed)
    market, account = random_market(rng), random_account(rng)
    minutes = int(rng.choice([15, 30, 60]))
    bars = random_bars(rng, market, minutes, int(rng.integers(1, 9)), float(rng.choice([0, 0.2])))
    script, rules = random_strategy(rng, bars, market["tick"])
    outcome = engine_outcome(script, bars, market, account, minutes)
    assert_same(outcome, Simulator(bars, rules, market, account, minutes * 60).run(), f"seed {seed}")
