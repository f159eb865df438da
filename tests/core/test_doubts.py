"""Findings on where a result may come from: each is said when it should be, and not otherwise."""

import numpy as np
import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account, run
from skelb.core.figures import figures_by_side, findings_of
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset, make_plan

START = 1_704_067_200


def found(closes, script, inputs=None, account=None, step=3600, time=None):
    """Findings by code of a script on closes an hour apart, opens being the closes before."""
    closes = np.asarray(closes, float)
    opens = np.concatenate((closes[:1], closes[:-1]))
    time = START + np.arange(closes.size, dtype=np.int64) * step if time is None else time
    high, low = np.maximum(opens, closes), np.minimum(opens, closes)
    bars = Bars(Timeframe(step // 60), time, opens, high, low, closes, np.ones(closes.size))
    checked = check(script)
    assert checked.is_sound, checked.diagnostics
    outcome = run(
        make_plan(checked, make_dataset(bars, Market("D")), input_values(checked, inputs or {})), account or Account()
    )
    return {item.code: item for item in findings_of(outcome, checked, figures_by_side(outcome), "both")}


FLIP = "enter long when close < prior(close)\nexit long when close > prior(close)\nsize 1 units"


def zigzag(count, low=100.0, high=101.0):
    return np.where(np.arange(count) % 2 == 0, high, low)


def test_one_month_that_made_the_profit():
    closes = np.concatenate((np.full(24 * 200, 100.0), 100.0 + np.arange(200.0), np.full(24 * 20, 300.0)))
    script = "enter long when bar == 100 or bar == 900 or bar == 1700 or bar == 2500 or bar == 3300 or bar == 4000 or bar == 4820\nexit after 100 bars\nsize 1 units"
    assert "One month, 2024-07, made 100%" in found(closes, script)["one_month"].message
    assert "one_month" not in found(zigzag(6000), FLIP)


def test_a_drawdown_worse_than_holding():
    falling = "enter short when bar == 5\nsize 50 units"
    assert "drawdown_worse_than_holding" in found(100 + np.arange(300.0) / 10, falling)
    rising = "enter long when bar == 5\nsize 1 units"
    assert "drawdown_worse_than_holding" not in found(100 + np.arange(300.0) / 10, rising)


@pytest.mark.parametrize(("length", "severity"), [(5, None), (60, "note"), (120, "warning")])
def test_bars_spent_warming_up(length, severity):
    item = found(zigzag(200), f"enter long when close > sma(close, {length})").get("warm_up_share")
    assert (item and item.severity) == severity


WEEKLY = "long_term = close > (sma(close, 3) on 1w)"


@pytest.mark.parametrize(
    ("rules", "days"),
    [
        pytest.param("enter long when weekday is fri and long_term", "Friday", id="a day in the rule"),
        pytest.param("late = weekday in (wed, thu)\nenter long when late and long_term", "Wednesday, Thursday", id="by name"),
        pytest.param("window mon-sat\nenter long when weekday in fri..sun and long_term", "Friday, Saturday", id="a window too"),
        pytest.param("enter long when weekday is sun and long_term", None, id="the day on which it closes"),
        pytest.param("enter long when long_term", None, id="every day"),
        pytest.param("enter long when weekday is fri or long_term", None, id="one or the other"),
        pytest.param("enter long when weekday is fri and (close > (sma(close, 3) on 1w forming))", None, id="forming"),
        pytest.param("enter long when weekday is fri and (close > (sma(close, 3) on 1d))", None, id="of the day"),
        pytest.param("enter long when weekday is fri and long_term and position is flat", None, id="asks for the position"),
    ],
)  # fmt: skip
def test_a_week_that_closes_on_a_day_on_which_nothing_is_decided(rules, days):
    """Hours of all seven days: a week's bar closes with Sunday's last hour."""
    used = WEEKLY + "\n" if "long_term" in rules else ""
    item = found(zigzag(24 * 60), f"{used}{rules}\nsize 1 units").get("week_missed")
    assert (item is not None) == (days is not None)
    if item:
        assert f"closes on Sunday in D, and entries are decided on {days}: " in item.message


def test_trades_through_missing_bars():
    time = START + np.concatenate((np.arange(8), np.arange(16, 24))) * 3600
    script = "enter long when bar == 4\nsize 1 units"
    assert "1 trades ran through" in found(zigzag(16), script, time=time)["gaps_in_trades"].message
    assert "gaps_in_trades" not in found(zigzag(16), script)
    assert "gaps_in_trades" not in found(zigzag(16), "enter long when bar == 10\nsize 1 units", time=time)


def test_a_setting_at_the_edge_of_its_range():
    script = "input n = 5 from 2 to 9 step 1\nenter long when close > sma(close, n)"
    assert "n = 9" in found(zigzag(50), script, {"n": 9})["setting_at_the_edge"].message
    assert "setting_at_the_edge" not in found(zigzag(50), script, {"n": 8})


def test_a_figure_too_good_to_be_true_is_doubted_with_suspects():
    item = found(zigzag(400), FLIP)["too_good"]
    assert "win rate 1.00" in item.message and "no costs at all" in item.message
    assert "too_good" not in found(
        100 + np.sin(np.arange(400) * 1.7), "enter long when close > prior(close)\nexit after 3 bars"
    )
