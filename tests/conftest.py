"""What several tests need: plain series, small datasets, a running application."""

import os
import socket
import subprocess
import sys
import time
import urllib.request

import numpy as np
import pytest
from hypothesis import settings

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.language import SavedScript, Setting
from skelb.core.plan import make_dataset
from skelb.demo import DEMO_SCRIPTS
from skelb.web.guard import cookie_name

settings.register_profile("untimed", deadline=None)  # a busy machine is slow, not wrong
settings.load_profile("untimed")

DEMO_TEXTS = {script.title: script.text for script in DEMO_SCRIPTS}


def demo_script(title, version):
    """The demo scripts as other scripts use them."""
    return SavedScript(title, version or 1, DEMO_TEXTS[title]) if title in DEMO_TEXTS else None


DEMO_SETTING = Setting(scripts=demo_script)


def wave_bars(size=400, seed=3, minutes=15, start=1_704_186_000, tick=0.25):
    """Bars of a random walk on a tick grid, one after the other from 2 Jan 2024 09:00 UTC."""
    rng = np.random.default_rng(seed)
    close = 1000 + np.round(np.cumsum(rng.normal(0, 2, size)) / tick) * tick
    opens = np.concatenate(([1000.0], close[:-1]))
    reach = np.round(rng.exponential(1.5, (2, size)) / tick) * tick
    high, low = np.maximum(opens, close) + reach[0], np.minimum(opens, close) - reach[1]
    time = start + np.arange(size, dtype=np.int64) * minutes * 60
    return Bars(Timeframe(minutes), time, opens, high, low, close, rng.integers(1, 900, size).astype(float))


def dataset(bars=None, **market):
    """A dataset of the given or random bars on a market with these settings."""
    return make_dataset(wave_bars() if bars is None else bars, Market("TEST", **{"tick": 0.25, **market}))


def write_csv(path, bars):
    """The bars as the CSV of the contract."""
    stamps = np.datetime_as_string(bars.time.astype("datetime64[s]"))
    names = ("time,open,high,low,close,volume", *bars.columns)
    rows = zip(stamps, bars.open, bars.high, bars.low, bars.close, bars.volume, *bars.columns.values(), strict=True)
    body = "".join(f"{row[0]}Z,{','.join('' if x != x else str(x) for x in row[1:])}\n" for row in rows)
    path.write_text(",".join(names) + "\n" + body)
    return path


class Server:
    """A `skelb serve` of its own, with its own data folder."""

    def __init__(self, home):
        self.home = home
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.process = None

    @property
    def token(self):
        """What requests must carry."""
        return (self.home / "token").read_text()

    @property
    def cookies(self):
        """What a browser carries that was let in."""
        return [{"name": cookie_name(f"127.0.0.1:{self.port}"), "value": self.token, "url": self.url}]

    def start(self):
        environment = {**os.environ, "SKELB_HOME": str(self.home)}
        command = [sys.executable, "-m", "skelb.program", "serve", "--port", str(self.port)]
        self.process = subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL)
        deadline = time.monotonic() + 300
        while time.monotonic() < deadline:
            try:
                asked = urllib.request.Request(f"{self.url}/api/start", headers={"x-skelb-token": self.token})
                urllib.request.urlopen(asked, timeout=1)
                return self
            except OSError:
                if self.process.poll() is not None:
                    raise AssertionError("the server ended while starting") from None
                time.sleep(0.1)
        raise AssertionError("the server did not start")

    def kill(self):
        """End the process at once, as a power cut would."""
        self.process.kill()
        self.process.wait()


@pytest.fixture(scope="session")
def server(tmp_path_factory):
    found = Server(tmp_path_factory.mktemp("home")).start()
    yield found
    found.kill()


def pytest_addoption(parser):
    parser.addoption("--update-golden", action="store_true", help="write the golden files anew")
