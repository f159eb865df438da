"""Nobody waits for the compiler: `skelb warm` makes all there is to compile."""

import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest

from skelb.core.bars.bars import PRICES
from tests.conftest import wave_bars

LEFT = """
import importlib, pkgutil, sys
import skelb
from numba.core.dispatcher import Dispatcher
from skelb.core.compiled import Compiled
from skelb.service.warm import warm_all

for found in pkgutil.walk_packages(skelb.__path__, "skelb."):
    if not found.name.startswith("skelb.store.migrations"):
        importlib.import_module(found.name)
warm_all()
ready, cold = [], {}
for name in [name for name in sys.modules if name.startswith("skelb.")]:
    for value in list(vars(sys.modules[name]).values()):
        if isinstance(value, Compiled):
            cold[value._function.__name__] = value._function
        elif isinstance(value, Dispatcher):
            ready.append(value.py_func)
            if not value.signatures:
                cold[value.py_func.__name__] = value.py_func
within = {name for function in ready for name in function.__code__.co_names}
print("left:", sorted(name for name in cold if name not in within), len(ready))
"""


def test_all_that_is_compiled_is_compiled_by_setup():
    done = subprocess.run([sys.executable, "-c", LEFT], capture_output=True, text=True, check=True)
    left, ready = done.stdout.strip().removeprefix("left: ").rsplit(" ", 1)
    assert left == "[]"
    assert int(ready) > 80


@pytest.mark.parametrize("odd", [lambda values: values, np.copy, lambda values: np.repeat(values, 2)[::2]])
def test_bars_are_laid_out_as_compiled_code_knows_them_wherever_they_come_from(odd):
    """Files are read into arrays that cannot be written to: for each such kind the simulation would compile anew."""
    bars = wave_bars(40)
    for values in (bars.time, bars.close):
        values.flags.writeable = False
    made = replace(
        bars, **{name: odd(getattr(bars, name)) for name in ("time", *PRICES)}, columns={"own": odd(bars.close)}
    )
    for values in (made.time, made.close, made.volume, made.columns["own"]):
        assert values.flags.c_contiguous and values.flags.writeable
    assert made.close.tolist() == bars.close.tolist() and made.columns["own"].tolist() == bars.close.tolist()
