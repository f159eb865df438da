"""Laws of whole runs, on the random cases of the reference simulator."""

from datetime import date

import numpy as np
import pytest

from skelb.core.engine import Account, Pool, run
from skelb.core.engine.replay import Replay
from skelb.core.explain import Explainer, funnel_of
from skelb.core.figures import basket_figures, figures_by_side, side_equity
from skelb.core.language import check
from skelb.core.plan import make_plan
from tests.conftest import dataset, wave_bars
from tests.core.test_engine_against_reference import (
    both_baskets,
    both_outcomes,
    engine_account,
    engine_dataset,
    sound,
)
from tests.core.test_engine_cases import plan_of
from tests.reference.cases import random_account, random_bars, random_market, random_strategy

SEEDS = range(60)


def random_setup(seed):
    """Bars, script, market and account of a random case on one timeframe; None without bars."""
    rng = np.random.default_rng(seed)
    market, account = random_market(rng), random_account(rng) | {"same_bar": "worst"}
    bars = random_bars(rng, market, 30, int(rng.integers(2, 9)), 0.1)
    script, _ = random_strategy(rng, bars, market["tick"]) if bars else ("", None)
    return (bars, script, market, account) if len(bars) > 20 else None


def outcome_of(bars, script, market, account, **dates):
    return run(make_plan(sound(script), engine_dataset(bars, market, 30), {}, **dates), engine_account(account))


@pytest.mark.parametrize("seed", SEEDS)
def test_what_comes_later_changes_nothing_before(seed):
    setup = random_setup(seed)
    if setup is None:
        pytest.skip("no bars")
    bars, script, market, account = setup
    whole = outcome_of(*setup)
    for cut in (len(bars) // 3, len(bars) // 2, len(bars) - 3):
        part = outcome_of(bars[:cut], script, market, account)
        assert (part.equity[:-1] == whole.equity[: cut - 1]).all()
        # At the cut itself open positions end.
        mine, its = (found.trades.exit_bar < cut - 1 for found in (part, whole))
        assert part.trades.rows[mine].tobytes() == whole.trades.rows[its].tobytes()
        earlier = whole.skips[whole.skips["bar"] < cut - 1]
        assert (part.skips[part.skips["bar"] < cut - 1] == earlier).all()


@pytest.mark.parametrize("seed", SEEDS)
def test_accounts_balance(seed):
    found = both_outcomes(seed)
    if found is None:
        pytest.skip("no bars")
    outcome = found[0]
    trades = outcome.trades
    costs = sum(trades.rows[c] for c in ("commission", "spread", "slippage", "financing"))
    np.testing.assert_allclose(trades.gross - costs, trades.net, atol=1e-9)
    assert outcome.equity[-1] == pytest.approx(outcome.capital + trades.net.sum())
    inside = np.zeros(outcome.equity.size + 1, bool)
    for entry, leave in zip(trades.entry_bar, trades.exit_bar, strict=True):
        inside[max(entry - 1, 0) : leave + 2] = True  # a fill at a close shows on the bar after it
    assert (np.diff(outcome.equity)[~inside[1:-1]] == 0).all()
    sides = [side_equity(outcome, trades.side == side) - outcome.capital for side in (1, -1)]
    np.testing.assert_allclose(sides[0] + sides[1], outcome.equity - outcome.capital, atol=1e-6, rtol=1e-9)
    figures = figures_by_side(outcome)
    for key in ("net_profit", "trades", "total_costs", "total_financing"):
        assert figures["long"][key] + figures["short"][key] == pytest.approx(figures["all"][key], abs=1e-9), key


@pytest.mark.parametrize("seed", range(30))
def test_two_halves_with_nothing_open_between_are_the_whole(seed):
    setup = random_setup(seed)
    if setup is None:
        pytest.skip("no bars")
    bars, script, market, account = setup
    kept = [line for line in script.splitlines() if not line.startswith(("flat", "pause", "dates"))]
    script = "\n".join([*(line.replace(" at close", "") for line in kept), "flat at session end"])
    whole = outcome_of(bars, script, market, account)
    days = whole.plan.dataset.calendar.day
    dates = np.unique(days).astype("datetime64[D]").tolist()
    if len(dates) < 2 or whole.is_ruined:
        pytest.skip("nothing to cut")
    middle = len(dates) // 2
    first = outcome_of(bars, script, market, account, to_date=dates[middle - 1])
    rest = {**account, "capital": float(first.equity[-1])}
    second = outcome_of(bars, script, market, rest, from_date=dates[middle])
    ends = [int(trades.exit_bar[-1]) for trades in (first.trades,) if len(trades)]
    if any(first.exit_reason(row) == "end of data" for row in range(len(first.trades))) or (
        ends and whole.trades.entry_bar[len(first.trades) - 1] > first.last
    ):
        pytest.skip("a day whose bars stop early: open at the cut")
    assert np.concatenate((first.trades.rows, second.trades.rows)).tobytes() == whole.trades.rows.tobytes()
    np.testing.assert_allclose(np.concatenate((first.equity, second.equity)), whole.equity, rtol=1e-9)


@pytest.mark.parametrize("seed", range(40))
def test_a_replay_tells_what_the_run_did(seed):
    found = both_outcomes(seed)
    if found is None:
        pytest.skip("no bars")
    outcome, expected, _ = found
    replay = Replay(outcome.plan, engine_account(expected.account))
    order = np.random.default_rng(seed).permutation(np.arange(outcome.first, outcome.last + 1))
    moments = {int(bar): replay.at(int(bar)) for bar in order}
    told = [moments[bar] for bar in range(outcome.first, outcome.last + 1)]
    assert np.concatenate([moment.trades for moment in told]).tobytes() == outcome.trades.rows.tobytes()
    assert (np.concatenate([moment.skips for moment in told]) == outcome.skips).all()
    for before, after in zip(told, told[1:], strict=False):
        assert before.lots == after.lots_before and before.side == after.side_before
    assert told[-1].lots == ()


def test_every_bar_of_a_quiet_stretch_knows_the_position_as_it_was_there():
    """Bars that are passed in a loop, and looked at one by one, forwards and backwards."""
    script = "enter long when bar == 3\nexit when open_profit > 99 and bars_held > 1\ntrail 50 points\nsize 1 units"
    here = dataset(wave_bars(40))
    replay = Replay(make_plan(sound(script), here, {}), Account(capital=1e6))
    for bar in [*range(4, 30), *range(29, 3, -1)]:
        told = replay.at(bar)
        for known in (told.known_to_exits, told.known_to_entries):
            assert known["bars_held"] == bar - 3 and known["open_lots"] == 1
            assert known["open_profit"] == pytest.approx(100 * (here.bars.close[bar] / here.bars.open[4] - 1))


@pytest.mark.parametrize("seed", range(60))
def test_runs_one_after_the_other_are_what_each_is_alone(seed):
    """On one dataset and one pool, with sides, dates and accounts changing between them and coming back."""
    setup = random_setup(seed)
    if setup is None:
        pytest.skip("no bars")
    bars, script, market, account = setup
    checked, data, pool = sound(script), engine_dataset(bars, market, 30), Pool()
    day = np.unique(data.calendar.day)
    late = date.fromordinal(date(1970, 1, 1).toordinal() + int(day[day.size // 2]))
    accounts = [engine_account(account), engine_account(account | {"capital": account["capital"] * 3})]
    ways = [{}, {}, {"sides": "long"}, {"from_date": late}, {}, {"inverted": True}, {"sides": "long"}, {}]
    for turn, way in enumerate(ways):
        own = accounts[turn % 3 // 2]
        mine = run(make_plan(checked, data, {}, **way), own, pool)
        alone = run(make_plan(sound(script), engine_dataset(bars, market, 30), {}, **way), own)
        assert mine.trades.rows.tobytes() == alone.trades.rows.tobytes()
        np.testing.assert_array_equal(mine.skips, alone.skips)
        np.testing.assert_array_equal(mine.equity, alone.equity)


def test_what_happened_is_told_in_order():
    """A reversal at the open: what left is told before what came, and a lot left in parts came once."""
    script = (
        "enter long when volume == 1\nenter short when volume == 2\nsize 2 units\n"
        "target short 1 points for 50%\ntarget short 2 points for 50%\n"
    )
    bars = [(100, 101, 99, 100, 1), (100, 101, 99, 100, 2), (100, 100, 97, 98, 0), (98, 98, 98, 98, 0)]
    plan = plan_of(bars, script)
    told = Explainer(check(script), plan, Account()).explain(2).happened
    assert [" ".join(line.split()[:2]) for line in told] == ["left long", "entered short", "left short", "left short"]


@pytest.mark.parametrize("seed", SEEDS)
def test_every_signal_goes_somewhere(seed):
    found = both_outcomes(seed)
    if found is None:
        pytest.skip("no bars")
    for side in ("long", "short"):
        funnel = funnel_of(found[0], side)
        assert funnel.signals == funnel.traded + sum(item.count for item in funnel.reasons)
        assert funnel.signals == 0 or funnel.sentence.endswith(f"{funnel.traded:,} traded")


def test_a_basket_is_the_sum_of_its_markets():
    outcomes, _, _ = both_baskets(3)
    figures = basket_figures(outcomes)
    nets = sum(float(outcome.trades.net.sum()) for outcome in outcomes)
    assert figures["all"]["net_profit"] == pytest.approx(nets)
    assert figures["all"]["trades"] == sum(len(outcome.trades) for outcome in outcomes) > 0
    last = max(outcomes, key=lambda outcome: outcome.plan.dataset.bars.time[outcome.last])
    assert last.equity[-1] == pytest.approx(outcomes[0].capital + nets)


def test_a_basket_of_one_market_is_its_run():
    outcome, expected, _ = both_outcomes(11)
    from skelb.core.engine import run_basket

    alone = run_basket([outcome.plan], engine_account(expected.account))[0]
    assert (alone.equity == outcome.equity).all() and alone.trades.rows.tobytes() == outcome.trades.rows.tobytes()


def test_account_of_no_capital_trades_nothing():
    setup = next(found for found in map(random_setup, range(9)) if found)
    bars, script, market, _ = setup
    outcome = run(make_plan(sound(script), engine_dataset(bars, market, 30), {}), Account(capital=0.0))
    assert len(outcome.trades) == 0 and not outcome.equity.any()
