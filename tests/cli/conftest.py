"""A folder of files to run commands in, and how they are run."""

import json
import os

import pytest

from tests.cli.forked import forker
from tests.conftest import wave_bars, write_csv

SCRIPT = """title "Sway"
input n = 5 from 3 to 9 step 2
input m = 4
band = bollinger(close, n, 2)
up = close crosses above band.mid
enter long when up
enter short when close crosses below band.mid
exit after m bars
stop 2 * atr(5)
size 20% of equity
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    found = tmp_path_factory.mktemp("cli")
    (found / "sway.skelb").write_text(SCRIPT)
    write_csv(found / "wave.csv", wave_bars(600))
    (found / "market.json").write_text('{"symbol": "WAVE", "tick": 0.25, "spread": 0.5}')
    (found / "account.json").write_text('{"capital": 50000, "commission_percent": 0.01, "slippage_ticks": 1}')
    return found


def skelb(folder, *arguments, expect=0):
    """A command's end, run in a fork: what differs from a start of the program is tried by the tests of its start."""
    done = forker().run(arguments, folder, {**os.environ, "SKELB_HOME": str(folder / "home")})
    assert done.returncode == expect, done.stderr
    assert "Traceback" not in done.stderr
    return done


def document(folder, *arguments):
    return json.loads(skelb(folder, *arguments, "--json").stdout)
