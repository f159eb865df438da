"""An application with one market, an account and a script with two inputs."""

import time

import pytest

from skelb.core.figures import daily_of
from skelb.service.application import Application
from skelb.service.setup import Setup
from skelb.service.trials.orders import TrialOrder
from tests.conftest import wave_bars

SCRIPT = 'title "Sway"\ninput n = 5 from 3 to 60 step 1\ninput m = 4 from 2 to 40 step 1\nenter long when close crosses above sma(close, n)\nexit after m bars\nsize 2 units\n'
SETUP = Setup(text=SCRIPT, market="WAVE", timeframe="15m", account="Plain")


def order(**given):
    """A sweep over both inputs, unless other things are asked."""
    asked = {"setup": SETUP, "vary": ["n", "m"], "objective": "net_profit", "min_trades": 0}
    return TrialOrder.model_validate(asked | given)


@pytest.fixture
def application(tmp_path):
    found = Application(tmp_path)
    found.library.save_account("Plain", {"capital": 100_000})
    found.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(4000)])
    yield found
    found.close()


def wait_for(condition, seconds=240):
    """Wait until it is so."""
    deadline = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < deadline, "it took too long"
        time.sleep(0.01)


def state_of(application, number):
    trial = application.desk.trial(number)
    return application.trials.standing(trial)[0]


def finished(application, asked):
    number = application.trials.start(asked)
    wait_for(lambda: state_of(application, number) != "running")
    assert state_of(application, number) == "done", application.desk.trial(number).message
    return number


def tried(application, title="Sway"):
    return worth(application, title).settings


def worth(application, title="Sway"):
    sweep = SETUP.prepared(application.library, application.datasets).sweep()
    return application.tallies.worth(title, sweep.dataset, daily_of(sweep.record({})))
