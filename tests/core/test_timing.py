"""Whether it matters when a run is in the market: the sums against plain loops, and how often chance is taken for skill."""

import numpy as np
import pytest

from skelb.core.bars import Bars, Timeframe
from skelb.core.engine import Account, run
from skelb.core.errors import SettingsError
from skelb.core.language import check
from skelb.core.plan import make_plan
from skelb.core.trials.timing import Path, path_of, timings
from tests.conftest import dataset, wave_bars


def outcome_of(script, bars):
    checked = check(script)
    assert checked.is_sound, checked.diagnostics
    return run(make_plan(checked, dataset(bars, tick=0.01), {}), Account(capital=1e6))


def timing(outcome, seed=1, draws=999):
    return list(timings(path_of(outcome), seed, draws))[-1][1]


def plain_earned(outcome):
    """Every trade from the open or close nearest to its fills, one after the other."""
    bars, found = outcome.plan.dataset.bars, 0.0
    for row in range(len(outcome.trades)):
        price = bars.open[int(outcome.trades.entry_bar[row])]
        last = int(outcome.trades.exit_bar[row])
        end = bars.open[last] if outcome.trades.moment[row] == 0 else bars.close[last]
        found += outcome.trades.side[row] * (end - price)
    return found


SWING = "enter long when close crosses above sma(close, 8)\nexit long when close crosses below sma(close, 5)\nenter short when rsi(close, 5) > 75\nexit short when rsi(close, 5) < 50\nstop 3 * atr(9)\nsize 1 units\n"


def test_a_path_earns_what_its_trades_earn_between_opens_and_closes():
    outcome = outcome_of(SWING, wave_bars(1500))
    path = path_of(outcome)
    assert path.lengths.sum() == path.moved.size == outcome.last + 1 - outcome.first
    found = timing(outcome)
    assert found.earned == pytest.approx(plain_earned(outcome))
    held = np.repeat(path.held, path.lengths)
    kept = np.repeat(path.kept, path.lengths)
    assert found.earned == pytest.approx(held @ path.moved + kept @ path.gapped)
    assert found.p == (1 + found.as_good) / 1000


def test_every_history_holds_the_same_positions_as_long():
    rng = np.random.default_rng(4)
    lengths = rng.integers(1, 5, 24)
    size = int(lengths.sum())
    held = np.tile([0.0, 2.0, 0.0, -1.0], 6)
    path = Path(np.ones(size), np.zeros(size), lengths, held, held, np.arange(25))
    [*_, (draws, found)] = timings(path, draws=99)
    assert draws == 99 and found.as_good == 99 and found.p == 1.0  # every bar moves alike
    assert found.earned == held @ lengths


def test_knowing_the_next_bar_is_told_from_chance_and_knowing_nothing_is_not():
    rng = np.random.default_rng(8)
    shares = {"knows": [], "guesses": []}
    for seed in range(40):
        bars = wave_bars(800, seed=seed)
        rises = np.append(np.diff(bars.close) > 0, False)
        for name, signals in (
            ("knows", rises & (rng.random(800) < 0.5)), ("guesses", rng.random(800) < 0.25),
        ):  # fmt: skip
            known = Bars(
                bars.timeframe,
                bars.time,
                bars.open,
                bars.high,
                bars.low,
                bars.close,
                bars.volume,
                {"signal": signals.astype(float)},
            )
            found = timing(
                outcome_of('enter long when column("signal") > 0.5\nexit after 2 bars\nsize 1 units\n', known),
                draws=199,
            )
            shares[name].append(found.p <= 0.05)
    assert np.mean(shares["knows"]) > 0.9 and np.mean(shares["guesses"]) < 0.2


SCRIPTS = {
    "held for a time": "exit after 6 bars\n",
    "stop and target": "stop 4\ntarget 8\n",
    "a trailing stop": "trail 5\n",
}


@pytest.mark.parametrize("protection", SCRIPTS.values(), ids=SCRIPTS)
def test_entries_at_random_are_called_skill_in_one_case_of_twenty(protection):
    """Under the null: entries drawn by chance on bars that wander. Of 300 runs 5 % are 15, give or take 3.8."""
    alarms = 0
    for seed in range(300):
        rng = np.random.default_rng(seed)
        bars = wave_bars(600, seed=1000 + seed)
        known = Bars(
            Timeframe(15),
            bars.time,
            bars.open,
            bars.high,
            bars.low,
            bars.close,
            bars.volume,
            {"signal": rng.random(600)},
        )
        script = f'enter long when column("signal") < 0.05\nenter short when column("signal") > 0.95\n{protection}size 1 units\n'
        alarms += timing(outcome_of(script, known), draws=99).p <= 0.05
    assert 4 <= alarms <= 27, alarms


def test_too_few_positions_say_nothing():
    with pytest.raises(SettingsError, match="too few positions"):
        timing(outcome_of("enter long when close > 0\nsize 1 units\n", wave_bars(300)))
