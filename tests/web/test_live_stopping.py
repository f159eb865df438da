"""Computing ends when nobody waits for it any more: a newer question, the stop button, a page that has left."""

import json
import os
import socket
import sys
import threading
import time

import numpy as np
import pytest
from starlette.testclient import TestClient

from skelb.core.plan import Memo
from skelb.core.stopping import Stopped, Work, stop_point, working
from skelb.service.application import Application
from skelb.web.app import make_app
from tests.conftest import wave_bars
from tests.service.conftest import wait_for

LOCAL = {"host": "127.0.0.1"}
QUICK = "enter long when close crosses above sma(close, 9)\nexit after 4 bars\nsize 1 units\n"
# A thousand values that are worked out anew at every close of a forming bar: a minute's work, unless it is stopped.
SLOW = "x = total(k from 0 to 999: stoch_rsi(close, k + 2, 9, 3, 3).k on 1h forming)\nenter long when x > 1\nsize 1 units\n"


@pytest.fixture(scope="module")
def client(tmp_path_factory):
    application = Application(tmp_path_factory.mktemp("home"))
    application.library.save_market("WAVE", "", {"tick": 0.25}, [wave_bars(2000)])
    application.library.save_account("Own", {})
    with TestClient(make_app(application), base_url="http://127.0.0.1") as found:
        yield found


def question(number, text):
    setup = {"text": text, "market": "WAVE", "timeframe": "15m", "account": "Own"}
    return {"id": number, "ask": "run", "setup": setup}


def progress(socket, number):
    told = socket.receive_json()
    assert (told["answer"], told["id"]) == ("progress", number) and 0 <= told["done"] <= 1
    return told["done"]


def next_but_progress(socket):
    while (told := socket.receive_json())["answer"] == "progress":
        pass
    return told


def computing():
    """Whether any thread is inside the evaluation of an expression."""
    for frame in sys._current_frames().values():
        while frame is not None:
            if frame.f_code.co_filename.endswith("evaluation.py"):
                return True
            frame = frame.f_back
    return False


def test_a_newer_question_ends_the_older_ones_work_and_each_is_told_how_it_ended(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        socket.send_json(question(1, SLOW))
        first, second = progress(socket, 1), progress(socket, 1)
        assert second >= first
        socket.send_json(question(2, QUICK))
        assert next_but_progress(socket) == {"id": 1, "answer": "run", "superseded": True}
        answer = next_but_progress(socket)
        assert answer["id"] == 2 and answer["run"]["figures"]["all"]["trades"] > 10


def test_the_stop_button_ends_a_run_and_it_can_be_asked_for_again(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        socket.send_json(question(1, SLOW))
        progress(socket, 1)
        socket.send_json({"id": 2, "ask": "stop"})
        assert next_but_progress(socket) == {"id": 1, "answer": "run", "stopped": True}
        socket.send_json({"id": 3, "ask": "stop"})  # nothing runs: nothing happens
        socket.send_json(question(4, QUICK))
        assert next_but_progress(socket)["run"]["is_strategy"]


def test_curves_give_way_to_everything_and_are_begun_again(client):
    text = "input n = 2 from 2 to 90\n" + SLOW.replace("k + 2", "k + n")
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        quick = question(1, QUICK)
        socket.send_json(quick)
        run = next_but_progress(socket)["run"]
        slow = question(2, text)["setup"]
        socket.send_json({"id": 3, "ask": "try", "setup": slow, "input": "n", "value": 5})
        wait_for(computing)
        socket.send_json({"id": 4, "ask": "window", "run": run["key"], "first": 0, "last": 99, "columns": 50})
        assert next_but_progress(socket)["answer"] == "window"
        wait_for(computing)  # the curve is being worked out again
        socket.send_json({"id": 5, "ask": "try", "setup": quick["setup"], "input": "n", "value": 5})
        assert next_but_progress(socket) == {"id": 3, "answer": "try", "superseded": True}
        assert next_but_progress(socket)["id"] == 5


def test_nothing_goes_on_when_the_page_has_left(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        socket.send_json(question(1, SLOW))
        progress(socket, 1)
        wait_for(computing)
    wait_for(lambda: not computing())


def test_a_value_that_one_asker_stopped_is_computed_by_the_other_who_waits_for_it():
    memo, first = Memo(), Work()
    number = memo.number(("constant", 1.0))
    begun, ended = threading.Event(), []

    def slow():
        begun.set()
        while True:
            stop_point()

    def asking():
        with working(first):
            try:
                memo.value(number, slow)
            except Stopped:
                ended.append("stopped")

    thread = threading.Thread(target=asking)
    thread.start()
    begun.wait()
    threading.Timer(0.1, first.stop).start()
    assert memo.value(number, lambda: np.full(1, 7.0))[0] == 7.0
    thread.join()
    assert ended == ["stopped"]


@pytest.mark.parametrize("message", [{"ask": [1]}, {"ask": "run"}, {"id": 10**30, "ask": "run"}, {"ask": "nothing"}, 7])
def test_odd_questions_end_no_loop(client, message):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        socket.send_json(message)
        socket.send_json(question(1, QUICK))
        while (told := next_but_progress(socket)).get("id") != 1:
            assert told["error"] or told["superseded"]
        assert told.get("run")


def test_what_is_saved_elsewhere_is_told(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        client.post("/api/scripts", json={"text": 'title "Told"\nx = close\n'})
        assert socket.receive_json() == {"answer": "changed", "what": "scripts"}


def test_a_request_whose_client_has_gone_is_worked_on_no_longer(server):
    text = SLOW + "up = x > 50\n"
    setup = {"text": text, "market": "KELP", "timeframe": "15m", "account": "Dockside account"}
    body = json.dumps({"setup": setup}).encode()
    wait_for(lambda: is_idle(server))
    begun = processor_seconds(server)
    with socket.create_connection(("127.0.0.1", server.port)) as asking:
        head = f"POST /api/texts/conditions HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\nX-Skelb-Token: {server.token}\r\nContent-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n"
        asking.sendall(head.encode() + body)
        wait_for(lambda: processor_seconds(server) > begun + 1)
    wait_for(lambda: is_idle(server))


def processor_seconds(server):
    """What the server has computed so far."""
    with open(f"/proc/{server.process.pid}/stat") as found:
        fields = found.read().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def is_idle(server):
    before = processor_seconds(server)
    time.sleep(0.5)
    return processor_seconds(server) - before < 0.1
