"""Resampling, deflation and challenges against plain forms of the same definitions."""

import math
from statistics import NormalDist

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Commission
from skelb.core.engine import Account, Moment, run
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import make_plan
from skelb.core.trials import (
    KINDS,
    Challenged,
    ChallengeRules,
    Deflated,
    challenge,
    counted,
    deflated,
    resample,
    worst_equity,
)
from skelb.core.trials.resampling import _drawn, percentile_range
from tests.conftest import dataset, wave_bars

NETS = st.lists(st.integers(-400, 500).map(float), min_size=2, max_size=40).map(np.array)


def plain_measures(trades, capital):
    equity, peak, down, losing, run, low = capital, capital, 0.0, 0, 0, math.inf
    for net in trades:
        equity += net
        peak, low = max(peak, equity), min(low, equity)
        down = max(down, peak - equity)
        run = run + 1 if net <= 0 else 0
        losing = max(losing, run)
    return sum(trades), down, sum(trades) / down if down else math.inf, losing, float(low <= 0)


@given(NETS, st.integers(0, 99))
def test_every_order_of_the_same_trades_ends_alike(net, seed):
    found = resample(net, 1_000, "shuffle", 30, seed)
    np.testing.assert_allclose(found.samples.net, net.sum(), atol=1e-9)
    real = found.real
    assert (real.net[0], real.drawdown[0], real.over_drawdown[0], real.losing[0], real.ruined[0]) == pytest.approx(
        plain_measures(net, 1_000)
    )
    assert found.bands[:, 0].tolist() == [1_000] * 5
    np.testing.assert_allclose(found.bands[:, -1], 1_000 + net.sum(), atol=1e-9)


@pytest.mark.parametrize("kind", KINDS)
def test_the_same_seed_draws_the_same_and_another_does_not(kind):
    net = np.random.default_rng(3).normal(5, 100, 120)
    one, same, other = (resample(net, 10_000, kind, 50, seed) for seed in (1, 1, 2))
    np.testing.assert_array_equal(one.samples.drawdown, same.samples.drawdown)
    assert (one.samples.drawdown != other.samples.drawdown).any()
    assert one.bands.shape == (5, one.at.size) and (np.diff(one.bands, axis=0) >= 0).all()


def test_samples_are_what_their_kind_says():
    net = np.arange(1.0, 101.0)
    blocks = resample(net, 1_000, "blocks", 200, block=10**9)
    np.testing.assert_allclose(blocks.samples.net, net.sum())  # one stretch of all trades, wherever it begins
    skipped = resample(net, 1_000, "skip", 2_000, share=0.25)
    assert skipped.samples.net.mean() == pytest.approx(net.sum() * 0.75, rel=0.02)
    worse = resample(net, 1_000, "shift", 2_000, share=0.1)
    assert worse.samples.net.mean() == pytest.approx(net.sum() * 0.9, rel=0.02)
    drawn = resample(net, 1_000, "bootstrap", 4_000)
    assert drawn.samples.net.mean() == pytest.approx(net.sum(), rel=0.02)
    assert drawn.samples.net.std() == pytest.approx(math.sqrt(100) * net.std(), rel=0.05)
    assert drawn.places["net"] == pytest.approx(np.mean(drawn.samples.net < net.sum()))


def test_stretches_are_as_long_on_average_as_was_chosen_and_go_on_at_the_beginning():
    net = np.arange(400.0)
    drawn = _drawn(net, "blocks", 300, np.random.default_rng(2), 0.1, 8)
    goes_on = np.diff(drawn, axis=1) % 400 == 1
    assert goes_on.mean() == pytest.approx(1 - 1 / 8, abs=0.01)  # and by chance in 1 of 400
    assert ((drawn[:, :-1] == 399) & (drawn[:, 1:] == 0)).any()


def test_what_compounds_is_drawn_by_what_was_there():
    shares = np.array([0.5, -0.2, 0.1, -0.3, 0.4])
    equity = 1_000 * np.cumprod(1 + shares)
    net = np.diff(np.append(1_000, equity))
    mixed = resample(net, 1_000, "shuffle", 200, compounds=True)
    np.testing.assert_allclose(mixed.samples.net, equity[-1] - 1_000)  # of the same shares in another order
    assert (
        resample(net, 1_000, "bootstrap", 400, compounds=True).samples.net.min() > -1_000
    )  # it cannot lose more than all
    assert resample(net, 1_000, "bootstrap", 400).samples.net.min() < -1_000
    twice = resample(np.array([9_000.0, -20_000.0, 30_000.0]), 1_000, "bootstrap", 50, compounds=True)
    plain = resample(np.array([9_000.0, -20_000.0, 30_000.0]), 1_000, "bootstrap", 50)
    np.testing.assert_array_equal(twice.samples.net, plain.samples.net)  # equity was below 0: there is no share of it
    assert mixed.compounds and not twice.compounds and not plain.compounds


def test_a_percentile_lies_where_it_says_in_nineteen_of_twenty_cases():
    rng = np.random.default_rng(9)
    for percent in (5, 50, 95):
        true = NormalDist().inv_cdf(percent / 100)
        ranges = [percentile_range(rng.normal(size=500), percent) for _ in range(600)]
        assert np.mean([low <= true <= high for low, high in ranges]) > 0.93


def test_the_run_stands_where_it_does_among_the_samples():
    net = np.random.default_rng(6).normal(3, 100, 300)
    found = resample(net, 10_000, "bootstrap", 400)
    s, real = found.samples, found.real
    assert found.places == {
        "net": np.mean(s.net < real.net), "drawdown": np.mean(s.drawdown > real.drawdown),
        "over_drawdown": np.mean(s.over_drawdown < real.over_drawdown), "losing": np.mean(s.losing > real.losing),
    }  # fmt: skip
    assert found.path[0] == 10_000 and found.path[-1] == pytest.approx(10_000 + net.sum())
    mixed = resample(net, 10_000, "shuffle", 400)
    assert mixed.places["net"] == 0  # the same trades come to the same, however they are added up


@given(st.lists(st.one_of(st.integers(-40, 90).map(float), st.floats(-1e6, 1e6), st.just(math.inf)), max_size=60))
def test_samples_are_counted_once_each_in_equal_steps(values):
    edges, counts = counted(np.array(values))
    known = [value for value in values if math.isfinite(value)]
    assert counts.sum() == len(known) and counts.size <= 24 and edges.size == (counts.size + 1 if known else 0)
    for low, high, count in zip(edges[:-1], edges[1:], counts, strict=False):
        inside = sum(low <= value < high or value == high == edges[-1] for value in known)
        assert inside == count


def test_resampling_refuses_what_cannot_be():
    for bad in ({"samples": 0}, {"share": 2.0}, {"block": 0}):
        with pytest.raises(SettingsError):
            resample(np.ones(5), 100, "bootstrap", **bad)
    with pytest.raises(SettingsError, match="2 trades or more"):
        resample(np.ones(1), 100, "shuffle")


def test_deflation_by_its_formula():
    changes = np.random.default_rng(8).standard_t(5, 500) * 0.01 + 0.0006
    n, s = changes.size, changes.mean() / changes.std(ddof=1)
    z = (changes - changes.mean()) / changes.std()
    scale = math.sqrt(1 - (z**3).mean() * s + ((z**4).mean() - 1) / 4 * s * s)
    for tries in (1, 10, 1_000):
        draws = (
            [NormalDist().inv_cdf(1 - 1 / tries), NormalDist().inv_cdf(1 - 1 / (tries * math.e))]
            if tries > 1
            else [0, 0]
        )
        best = (0.42278433509846714 * draws[0] + 0.5772156649015329 * draws[1]) / math.sqrt(n - 1)
        found = deflated(changes, tries)
        assert found.expected_best == pytest.approx(best)
        assert found.probability == pytest.approx(NormalDist().cdf((s - best) * math.sqrt(n - 1) / scale))
    assert deflated(changes, 10_000).probability < deflated(changes, 10).probability < deflated(changes, 1).probability
    assert deflated(np.zeros(50), 5) is None and deflated(changes[:2], 5) is None
    assert "1,000 worthless tries" in deflated(changes, 1_000).sentence


@pytest.mark.parametrize(
    ("tries", "sharpe", "probability", "said"),
    [(1, 0.1, 0.9, "from luck alone"), (9, 0.04, 0.49, "no more than luck shows"), (9, 0.1, 0.94, "not proven"), (9, 0.1, 0.95, "hard to explain by luck")],
)  # fmt: skip
def test_the_worth_of_the_best_is_said_in_words(tries, sharpe, probability, said):
    worth = Deflated(sharpe, tries, 0.05, probability, 0.9)
    assert said in worth.sentence and f"{1 - (probability if tries > 1 else 0.9):.1%}" in worth.sentence


def test_trades_that_are_left_out_are_not_losing_ones():
    net = np.array([-1.0, 1.0, -1.0, -1.0, 1.0, -1.0] * 20)
    assert resample(net, 1_000, "skip", 300, share=0.0).samples.losing.max() == 2
    left = resample(net, 1_000, "skip", 300, share=0.5).samples
    rng = np.random.default_rng(5)
    plain = [plain_measures(net[rng.random(net.size) >= 0.5], 1_000)[3] for _ in range(300)]
    assert np.mean(left.losing) == pytest.approx(np.mean(plain), rel=0.1)
    assert resample(np.full(60, -1.0), 1_000, "skip", 200, share=0.5).samples.losing.max() < 60


def test_the_expected_best_is_what_worthless_tries_show():
    rng = np.random.default_rng(4)
    best = [rng.normal(0, 1 / math.sqrt(251), 100).max() for _ in range(4_000)]
    assert deflated(rng.normal(0, 1, 252), 100).expected_best == pytest.approx(np.mean(best), rel=0.03)


def plain_challenge(equity, day, capital, rules):
    days = sorted(set(day))
    for start in days:
        before = equity[day.index(start) - 1] if day.index(start) else capital
        count, end = 0, None
        for now in days[days.index(start) :]:
            count += 1
            if count > rules.most_days:
                end = ("timed out", rules.most_days)
                break
            morning = equity[day.index(now) - 1] if day.index(now) else capital
            for i in [i for i in range(len(day)) if day[i] == now]:
                if (before - equity[i]) / capital * 100 >= rules.total_loss:
                    end = ("total loss", count)
                elif (morning - equity[i]) / capital * 100 >= rules.daily_loss:
                    end = ("daily loss", count)
                elif (equity[i] - before) / capital * 100 >= rules.target and count >= rules.least_days:
                    end = ("passed", count)
                if end:
                    break
            if end:
                break
        if end is None:
            end = ("timed out", count) if count == rules.most_days else ("unfinished", count)
        yield end


@given(
    st.lists(st.tuples(st.integers(0, 1), st.integers(-30, 32)), min_size=1, max_size=50),
    st.builds(
        ChallengeRules, st.integers(1, 9), st.integers(1, 6), st.integers(1, 9), st.integers(0, 3), st.integers(3, 8)
    ),
)
def test_challenges_by_plain_loops(steps, rules):
    day = np.cumsum([forward for forward, _ in steps]) + 100
    equity = 1_000 + np.cumsum([change for _, change in steps]).astype(float)
    found = challenge(equity, day, 1_000, rules)
    assert list(zip(found.ends, found.days.tolist(), strict=True)) == list(
        plain_challenge(equity.tolist(), day.tolist(), 1_000, rules)
    )
    shares = found.shares()
    if "unfinished" not in found.ends:  # all ends are known: how often they came
        assert {end: share.share for end, share in shares.items()} == pytest.approx(
            {end: found.ends.count(end) / len(found.ends) for end in shares}
        )
    assert (shares is None) == (set(found.ends) == {"unfinished"})


def test_starts_that_the_data_ended_count_for_as_long_as_they_were_seen():
    ends = ("passed", "passed", "daily loss", "unfinished", "unfinished", "passed", "timed out", "unfinished")
    days = np.array([1, 2, 2, 2, 3, 4, 5, 1])
    found = Challenged(np.arange(8), ends, days).shares()
    # By hand: of 8 one passes on day 1; of the 6 seen to day 2 one passes, one loses; of 2 on day 4 one passes.
    on = [1 / 8, 7 / 8 / 6, 7 / 8 / 6, 7 / 8 * 4 / 6 / 2]
    assert found["passed"].share == pytest.approx(on[0] + on[1] + on[3])
    assert found["daily loss"].share == pytest.approx(on[2]) and found["timed out"].share == pytest.approx(on[3])
    assert sum(share.share for share in found.values()) == pytest.approx(1)
    assert all(share.low <= share.share <= share.high for share in found.values())
    assert Challenged(np.arange(2), ("unfinished",) * 2, np.ones(2, np.int64)).shares() is None


def test_the_band_of_a_share_holds_the_true_one():
    """On equity that wanders; of 60 bands at most 8 may miss what long histories come to."""
    rules = ChallengeRules(5, 3, 6, 0, 20)

    def shares(size, seed):
        equity = 100 + np.random.default_rng(seed).normal(0.05, 1.2, size).cumsum()
        return challenge(equity, np.arange(size), 100.0, rules).shares()

    true = {end: np.mean([shares(5_000, seed)[end].share for seed in range(3)]) for end in shares(200, 0)}
    for end, share in true.items():
        missed = sum(
            not found[end].low <= share <= found[end].high for found in (shares(250, 100 + k) for k in range(60))
        )
        assert missed <= 8, end


def plain_worst(outcome):
    """Equity at the worst price of every bar, lot by lot."""
    bars, trades = outcome.plan.dataset.bars, outcome.trades
    found = []
    for bar in range(outcome.first, outcome.last + 1):
        before = outcome.equity[bar - 1 - outcome.first] if bar > outcome.first else outcome.capital
        at = {"low": before, "high": before}
        for row in range(len(trades)):
            entry, leave = int(trades.entry_bar[row]), int(trades.exit_bar[row])
            is_whole = bar < leave or (bar == leave and trades.moment[row] == Moment.CLOSE)
            since = trades.entry_price[row] if entry == bar else bars.close[bar - 1]
            if entry > bar or not is_whole or (entry == bar and trades.entry_moment[row] == Moment.INSIDE):
                continue
            for name in at:
                at[name] += trades.side[row] * trades.units[row] * (getattr(bars, name)[bar] - since)
                at[name] -= trades.entry_fee[row] if entry == bar else 0.0
        found.append(min(*at.values(), outcome.equity[bar - outcome.first]))
    return found


LOTS = "enter long when close > open\nenter long when close > prior(high) at limit close - 1 for 3 bars\nenter short when close < prior(low)\nstop 4\ntarget 6 for 50%\nexit after 9 bars\nlimit 3 open\nopposite reverse\nsize 2 units\n"


def test_the_worst_of_a_bar_is_that_of_the_lots_held_through_it():
    account = Account(capital=50_000, commission=Commission(per_order=1.0))
    outcome = run(make_plan(check(LOTS), dataset(wave_bars(400)), {}), account)
    assert len(outcome.trades) > 100 and {0, 1} <= set(outcome.trades.moment.tolist())
    np.testing.assert_allclose(worst_equity(outcome), plain_worst(outcome), atol=1e-6)
    assert (worst_equity(outcome) < outcome.equity).sum() > 100


def test_a_loss_inside_a_bar_ends_a_challenge_though_the_close_is_well():
    equity, days, rules = np.array([100.0, 101.0]), np.array([1, 2]), ChallengeRules(1, 2, 5)
    assert challenge(equity, days, 100.0, rules).ends == ("passed", "passed")
    assert challenge(equity, days, 100.0, rules, np.array([97.0, 100.5])).ends == ("daily loss", "passed")
    assert challenge(equity, days, 100.0, rules, np.array([99.0, 94.0])).ends == ("total loss", "total loss")
