"""What the live socket says is what the description of the API says it is: every kind of question, every field."""

import jsonschema_rs
import pytest
from starlette.testclient import TestClient

from skelb.service.application import Application
from skelb.web.app import make_app
from skelb.web.live_questions import LIVE
from tests.conftest import wave_bars

LOCAL = {"host": "127.0.0.1"}
SCRIPT = """input n = 9 from 2 to 30
quick = ema(close, n)
up = close crosses above quick
draw quick color long when close > quick else short
draw volume as pillars in "Volume"
level 100 in "Volume"
shade quick to close when close > quick
mark up below ring "at {close}"
tint up color brass
waited = up\n    then volume > 100 no later than 5 bars
enter long when up named "Up"
exit long when close crosses below quick
stop 2 * atr(14)
target 3 R
size 1 units
"""


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    application = Application(tmp_path_factory.mktemp("home"))
    application.library.save_market("WAVE", "", {"tick": 0.25, "spread": 0.5}, [wave_bars(2000, minutes=5)])
    application.library.save_account("Own", {"capital": 50_000})
    return make_app(application)


@pytest.fixture(scope="module")
def described(app):
    """How to judge an answer by its part of the description."""
    components = app.openapi()["components"]

    def judge(name, kind, told):
        place = f"#/components/schemas/{name}/properties/{kind}"
        jsonschema_rs.validator_for({"$ref": place, "components": components}).validate(told)
        # Nothing besides: the parts that an answer is made of say every field there is.
        parts, known = [components["schemas"][name]["properties"][kind]], set()
        while parts:
            part = parts.pop()
            if "$ref" in part:
                part = components["schemas"][part["$ref"].rsplit("/", 1)[1]]
            parts += part.get("allOf", [])
            known |= part.get("properties", {}).keys()
        assert set(told) <= known, set(told) - known

    return judge


def questions(key, bar):
    setup = {"text": SCRIPT, "market": "WAVE", "timeframe": "15m", "account": "Own"}
    of = {"run": key}
    return {
        "run": [{"setup": setup}],
        "chart": [{**of, "timeframe": "1h"}, {**of, "timeframe": "5m"}],
        "bars_at": [{**of, "times": [1_704_200_000], "closed": True}],
        "window": [{**of, "first": 0, "last": 99, "columns": 500}, {**of, "first": 0, "last": 600, "columns": 50}],
        "explain": [{**of, "bar": at} for at in (0, bar, bar + 1, bar + 2)],
        "next": [{**of, "lane": "up", "bar": 0, "way": 1}, {**of, "lane": "up", "bar": 0, "way": -1}],
        "until": [{**of, "bar": bar}],
        "lens": [{**of, "bar": bar}],
        "funnel": [of],
        "levels": [{**of, "first": bar, "last": bar + 9}],
        "try": [{"setup": setup, "input": "n", "value": 5}, {"setup": setup, "input": "n", "value": 2.5}],
    }


def answer(socket):
    """The next message that says more than how far a run is."""
    while (told := socket.receive_json())["answer"] == "progress":
        assert 0 <= told["done"] <= 1
    return told


def test_every_answer_is_as_described(app, described):
    with (
        TestClient(app, base_url="http://127.0.0.1") as client,
        client.websocket_connect("/live", headers=LOCAL) as socket,
    ):
        socket.send_json({"id": 1, "ask": "run", **questions("", 0)["run"][0]})
        run = answer(socket)["run"]
        asked = questions(run["key"], run["trades"]["entry_bar"][3])
        assert asked.keys() == LIVE.keys()
        for kind, bodies in asked.items():
            for number, body in enumerate(bodies, 2):
                question = {"id": number, **body}
                described("LiveQuestions", kind, question)
                socket.send_json({"ask": kind, **question})
                told = answer(socket)
                assert (told["id"], told["answer"], "error" in told) == (number, kind, False), told
                described("LiveAnswers", kind, told)
                assert all(told[name] == body[name] for name in LIVE[kind].echoed)


def test_a_question_that_is_none_is_told_what_it_lacks(app):
    with (
        TestClient(app, base_url="http://127.0.0.1") as client,
        client.websocket_connect("/live", headers=LOCAL) as socket,
    ):
        for body, lacking in (
            ({"ask": "lens", "run": "x"}, "bar"),
            ({"ask": "next", "run": "x", "lane": "", "bar": 1, "way": 2}, "way"),
        ):
            socket.send_json({"id": 7, **body})
            told = socket.receive_json()
            assert told.keys() == {"id", "answer", "error"} and told["error"].startswith(lacking)
