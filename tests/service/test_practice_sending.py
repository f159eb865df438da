"""What happens in a practice is sent to an address: in order, signed, once, also over restarts and dead receivers."""

import time
from socket import create_server
from threading import Thread

import pytest
from sqlalchemy import text

from skelb.core.errors import NotFoundError, SettingsError
from skelb.service.application import Application
from skelb.service.practice.deliveries import send
from skelb.service.practice.feeds import Replay
from skelb.service.practice.listening import Listener
from tests.service.conftest import wait_for
from tests.service.practised import SETUP, ended


class Received:
    """A receiver, and what it took."""

    def __init__(self, secret="", failing=0):
        self.events = []
        self.listener = Listener(0, self.events.append, secret, failing)
        Thread(target=self.listener.listen, daemon=True).start()

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.listener.close()


def sent_of(application, number):
    return {item.id: item.sent for item in application.practices.store.events(number, limit=100_000)}


def test_what_happens_is_sent_in_order_signed_and_once(application):
    practices = application.practices
    with Received(secret="harbour", failing=2) as received:
        number = practices.begin(SETUP, Replay(pace=60))
        practices.put_webhook(number, received.listener.url, "harbour")
        assert practices.test_webhook(number) == (False, "answered 503")
        practices.put_pace(number, 0)
        ended(application, number)
        events = sorted(sent_of(application, number))
        assert len(events) > 50
        wait_for(lambda: set(sent_of(application, number).values()) == {"sent"})
        assert [told["id"] for told in received.events] == events  # the first one was refused once, and came first
        first = practices.store.after(0, number)[0][1]
        assert first.tries == 2 and first.answer == "answered 200"
        assert received.events[0] | {"text": ""} == {
            "id": first.id, "practice": number, "strategy": "Follower", "market": "WAVE", "timeframe": "15m",
            "kind": first.kind, "time": first.time, "text": "",
        }  # fmt: skip
        assert practices.test_webhook(number) == (True, "answered 200") and received.events[-1]["kind"] == "test"
        practices.put_webhook(number, received.listener.url, "another")
        assert practices.test_webhook(number) == (False, "answered 401")


def test_nothing_is_lost_while_the_receiver_is_away_nor_sent_again_after_a_restart(application, tmp_path):
    practices = application.practices
    with Received() as received:
        port = int(received.listener.url.rsplit(":", 1)[1].strip("/"))
    number = practices.begin(SETUP, Replay(pace=60))
    practices.put_webhook(number, f"http://127.0.0.1:{port}/", "")
    practices.put_pace(number, 0)
    ended(application, number)
    wait_for(lambda: practices.store.after(0, number)[0][1].tries >= 2)
    assert "not there" in practices.store.after(0, number)[0][1].answer
    assert set(sent_of(application, number).values()) == {"due"}
    application.close()
    took = []
    listener = Listener(port, took.append)
    Thread(target=listener.listen, daemon=True).start()
    again = Application(tmp_path)
    try:
        again.practices.again(number)
        again.practices.start_all()
        wait_for(lambda: len(took) > 5)
        again.close()
        again = Application(tmp_path)
        again.practices.start_all()
        wait_for(lambda: set(sent_of(again, number).values()) == {"sent"})
        assert [told["id"] for told in took] == sorted(sent_of(again, number))
        tries = sum(event.tries for _, event in again.practices.store.after(0, number, 100_000))
        with again.database.session() as session:
            assert session.scalar(text("SELECT count(*) FROM practice_try")) == tries >= len(took) + 2
    finally:
        again.close()
        listener.close()


def test_a_dead_receiver_keeps_no_other_waiting_and_an_address_that_cannot_be_is_refused(application):
    practices = application.practices
    with Received() as received:
        first, second = (practices.begin(SETUP, Replay(pace=60)) for _ in range(2))
        practices.put_webhook(first, "http://127.0.0.1:9/", "")
        practices.put_webhook(second, received.listener.url, "")
        for number in (first, second):
            practices.put_pace(number, 0)
            ended(application, number)
        wait_for(lambda: set(sent_of(application, second).values()) == {"sent"})
        assert set(sent_of(application, first).values()) == {"due"}
        practices.put_webhook(first, "", "")
        assert set(sent_of(application, first).values()) == {""}
    for url in ("ftp://127.0.0.1/", "http://", "somewhere"):
        with pytest.raises(SettingsError, match="begins with http"):
            practices.put_webhook(first, url, "")
    with pytest.raises(SettingsError, match="no address to send to"):
        practices.test_webhook(first)
    with pytest.raises(NotFoundError):
        practices.put_webhook(77, "http://127.0.0.1/", "")


def test_what_is_no_message_is_refused_by_the_stand_in():
    took = []
    listener = Listener(0, took.append)
    Thread(target=listener.listen, daemon=True).start()
    try:
        for body, answer in (
            (b"", "400"),
            (b"[]", "400"),
            (b'{"id": "x"}', "400"),
            (b'{"id": 4}', "200"),
            (b'{"id": 4}', "200"),
        ):
            assert send(listener.url, body, "", 1)[1] == f"answered {answer}"
        assert took == [{"id": 4}]
    finally:
        listener.close()


def test_a_receiver_that_answers_nonsense_is_tried_again_after_a_pause(application):
    """What comes back is no HTTP at all: that is a try like others, and no busy loop."""
    heard = []

    def answer(socket):
        while True:
            try:
                connection, _ = socket.accept()
            except OSError:
                return
            heard.append(connection.recv(1 << 16))
            connection.sendall(b"\x00\x01 no such thing\r\n\r\n")
            connection.close()

    with create_server(("127.0.0.1", 0)) as socket:
        Thread(target=answer, args=(socket,), daemon=True).start()
        practices = application.practices
        number = practices.begin(SETUP, Replay(pace=60))
        practices.put_webhook(number, f"http://127.0.0.1:{socket.getsockname()[1]}/", "")
        practices.put_pace(number, 0)
        ended(application, number)
        wait_for(lambda: practices.store.after(0, number)[0][1].tries >= 2)
        time.sleep(0.5)
        first = practices.store.after(0, number)[0][1]
        assert first.sent == "due" and "not there" in first.answer and len(heard) < 6
