"""Running every compiled function once, so that its compiled form is on disk before anybody waits for it."""

import numpy as np

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.catalogue import FUNCTIONS
from skelb.core.engine import Account
from skelb.core.language import Checked, check
from skelb.core.plan import Dataset, Expressions, input_values, make_dataset
from skelb.core.trials import BLOCKS, Sweep, Task, overfitting, run_tasks
from skelb.service.backtest import Choices, backtest

_SCRIPT = """
input n = 2
a = ema(close, 3) + sma(close, 3) + wilder(close, 3) + rsi(close, 3) + macd(close, 2, 3, 2).gap
b = bollinger(close, 3, 2).upper / keltner(3, 3, 2).upper + adx(2).adx + highest(high, 3) + lowest(low, 3)
c = a > b or a >= b or a == 1 or a != 2 or 1 < a or 1 <= a or a < 3 or a <= 3
carry m = (max(m, close) if known(m) and m > 0 or c else abs(-m) / 2) starting close
t = close on 5m
s = a > b then c no later than 3 bars unless a < 1 then (all of (a > b, c))
enter long when close crosses above open or c or s or m > t
enter short when close meets 3 or close crosses below prior(close)
stop n * atr(3)
target 2 R
"""


_RARE = (
    "steps = close > 1 then close > 2 then close > 3",
    "several = all of (close > 2, close > 3)",
    "forms = ema(close, 3) on 5m forming",
)


def warm_kernels() -> None:
    """Compile everything a run can need; quick when it is compiled already."""
    checked, dataset = _small_run()
    backtest(checked, dataset, Account(), Choices({}))


def warm_all() -> None:
    """Compile everything that anything can need."""
    warm_kernels()
    checked, dataset = _small_run()
    sweep = Sweep(checked, dataset, Account(), input_values(checked, {}))
    run_tasks(sweep, [Task(number, {"n": float(number)}) for number in (2, 3)])
    overfitting(np.ones((2, 3 * BLOCKS)))
    lines = [f"of_{name} = {function.example}" for name, function in FUNCTIONS.items()]
    checked = check("\n".join((*lines, *_RARE)))
    assert checked.is_sound, checked.diagnostics
    expressions = Expressions(checked, {}, dataset)
    for found in checked.definitions.values():
        for number in (expressions.number(found.value), *expressions.progress(found.value)):
            expressions.value(number)


def _small_run() -> tuple[Checked, Dataset]:
    size = 64
    close = 100.0 + np.sin(np.arange(size) / 3.0) * 5.0
    opens = np.roll(close, 1)
    high, low = np.maximum(opens, close) + 1.0, np.minimum(opens, close) - 1.0
    time = np.arange(size, dtype=np.int64) * 60
    checked = check(_SCRIPT)
    assert checked.is_sound, checked.diagnostics
    bars = Bars(Timeframe(1), time, opens, high, low, close, np.ones(size))
    return checked, make_dataset(bars, Market("WARM"))
