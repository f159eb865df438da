"""What a stress says: each sentence on bars made so that it must be said, and so that it must not."""

import numpy as np
import pytest

from skelb.core.bars import Bars, Commission, Timeframe
from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.figures import market_costs
from skelb.core.language import check
from skelb.core.trials import ChallengeRules
from skelb.service.backtest import Choices, backtest
from skelb.service.distrust import Stress, challenged
from skelb.service.prepared import Prepared
from tests.conftest import dataset, wave_bars

SAW = "enter long when close < open\nenter short when close > open\nexit after 1 bars\nsize 1 units\n"


def saw_bars(size=600):
    """A fall of 2 on every fourth bar and a rise of 4 on the next; between them nothing moves."""
    moves = np.where(np.arange(size) % 4 == 0, -2.0, np.where(np.arange(size) % 4 == 1, 4.0, 0.0))
    close = 1000 + np.cumsum(moves)
    opens = np.concatenate(([1000.0], close[:-1]))
    time = 1_704_186_000 + np.arange(size, dtype=np.int64) * 900
    ones = np.ones(size)
    return Bars(Timeframe(15), time, opens, np.maximum(opens, close), np.minimum(opens, close), close, ones)


def verdict(script, bars, per_order=0.0, **choices):
    account = Account(capital=100_000, commission=Commission(per_order=per_order))
    stress = Stress(Prepared.of(script, lambda title: None, dataset(bars), account, Choices({}, **choices)).sound())
    *rows, last = stress.steps()
    return [step.row for step in rows if step.row], last


@pytest.mark.parametrize(
    ("script", "per_order", "choices", "said", "unsaid"),
    [
        pytest.param(SAW, 0.0, {"sides": "long"}, ["left", "hangs on the very bar", "worth something"], ["lose"], id="an-edge"),
        pytest.param(SAW, 1.5, {"sides": "long"}, ["does not survive costs × 1.5"], ["loses", "left"], id="costs-eat-it"),
        pytest.param(SAW, 9.0, {"sides": "long"}, ["without costs it earns", "costs are the reason"], ["survive", "wrong"], id="costs-are-the-reason"),
        pytest.param(SAW, 2.1, {"sides": "long"}, ["costs are the reason", "better than chance, but does not pay"], ["worth"], id="better-than-chance"),
        pytest.param(SAW, 0.0, {"sides": "long", "inverted": True}, ["without costs it still does not earn", "the direction is wrong", "told from chance"], ["are the reason"], id="the-wrong-way"),
        pytest.param("enter long when close > 9999\nexit after 1 bars", 0.0, {}, ["no trades to doubt"], ["histories"], id="nothing"),
        pytest.param("enter long when close > 0\nsize 1 units", 0.0, {}, ["left", "nothing is said: there are too few positions"], ["histories"], id="too-few"),
    ],
)  # fmt: skip
def test_the_verdict_says_what_the_rows_show(script, per_order, choices, said, unsaid):
    text = " ".join(verdict(script, saw_bars(), per_order, **choices)[1].verdict)
    assert all(words in text for words in said), text
    assert not any(words in text for words in unsaid), text


def test_what_loses_both_ways_without_costs_is_not_blamed_on_them():
    still = Bars(
        Timeframe(15),
        saw_bars().time,
        *(np.full(600, price) for price in (1000.0, 1002.0, 998.0, 1000.0)),
        np.ones(600),
    )
    rows, last = verdict("enter long when close > 0\nstop 1\ntarget 1\nsize 1 units\n", still, 0.5)
    nets = {row.name: row.figures["net_profit"] for row in rows}
    assert nets["without costs"] < 0 and nets["sides exchanged"] < 0 and nets["as it is"] < nets["without costs"]
    assert "without costs it still does not earn" in last.verdict[0]
    assert not any("reason" in sentence or "wrong" in sentence for sentence in last.verdict)


def test_of_a_row_that_cannot_be_run_nothing_is_said(monkeypatch):
    def refused(_plan):
        raise SettingsError("not today")

    monkeypatch.setattr("skelb.service.distrust.one_bar_later", refused)
    rows, last = verdict(SAW, saw_bars(), sides="long")
    assert next(row for row in rows if row.name == "one bar later").error == "not today"
    assert "left" in last.verdict[0] and not any("very bar" in sentence for sentence in last.verdict)


def test_positions_are_drawn_on_until_it_is_known_how_many_do_as_well():
    _rows, last = verdict(SAW, saw_bars(), sides="long")
    timing = last.timing
    assert timing.draws == 999 and timing.p == (1 + timing.as_good) / 1000 < 0.05
    assert timing.earned == pytest.approx(4.0 * 150, abs=4.0)


def test_the_cost_of_a_trade_stands_against_the_days_range():
    account = Account(capital=100_000, commission=Commission(per_order=2.0), slippage_ticks=1)
    data = dataset(wave_bars(900), spread=0.5, point_value=5.0)
    result = backtest(check(SAW), data, account, Choices({}))
    costs = market_costs(result.outcome)
    trades = result.outcome.trades
    assert costs.trade_cost == pytest.approx((trades.gross - trades.net).mean() / 5.0)  # one unit of 5 a point
    assert costs.trade_cost == pytest.approx(4.0 / 5.0 + 0.5 + 2 * 0.25)
    ranges = []
    for day in np.unique(data.calendar.day):
        own = data.calendar.day == day
        ranges.append(data.bars.high[own].max() - data.bars.low[own].min())
    assert costs.day_range == pytest.approx(np.mean(ranges)) and costs.share == costs.trade_cost / costs.day_range


def test_a_challenge_waits_for_its_least_days_and_times_out_after_its_most():
    result = backtest(check(SAW), dataset(saw_bars()), Account(capital=1_000), Choices({}, sides="long"))
    soon = challenged([result.outcome], ChallengeRules(1.0, 50.0, 50.0))
    late = challenged([result.outcome], ChallengeRules(1.0, 50.0, 50.0, least_days=3))
    assert soon.shares["passed"] == 1 and soon.days_to_pass == {"median": 1.0, "most": 1}
    assert late.days_to_pass == {"median": 3.0, "most": 3} and late.decided == soon.decided - 2
    never = challenged([result.outcome], ChallengeRules(99.0, 50.0, 50.0, most_days=2))
    assert never.shares["timed out"] == 1 and never.days_to_pass is None
