"""What happened in practices, sent to addresses: signed, one after the other, until each was taken."""

import hashlib
import hmac
import json
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from http.client import HTTPException
from threading import Event, Lock, Thread
from urllib.error import HTTPError, URLError
from urllib.parse import urlsplit
from urllib.request import HTTPRedirectHandler, Request, build_opener

from skelb.core.errors import SettingsError, SkelbError
from skelb.service.practice.store import Due, PracticeStore, StoredEvent, StoredPractice

_LOOK_S = 0.25
_ANSWER_S = 5.0
_PAUSES_S = (1, 3, 10, 30, 120, 600)  # between two tries; the last again and again
_AT_ONCE = 4
_TAKEN = range(200, 300)


class _NoRedirect(HTTPRedirectHandler):
    """What is signed goes where it was to go, and nowhere else."""

    def redirect_request(self, *_: object) -> None:
        """None: an answer that points elsewhere is no answer."""


_OPENER = build_opener(_NoRedirect)


def check_webhook(url: str) -> None:
    """Raises SettingsError where nothing can be sent to an address."""
    parts = urlsplit(url)
    if url and (parts.scheme not in ("http", "https") or not parts.hostname):
        raise SettingsError(f"what happens is sent to an address that begins with http:// or https://, not `{url}`")


def message_of(event: StoredEvent, practice: StoredPractice) -> bytes:
    """An event as it is sent: one JSON object."""
    setup = practice.setup
    told = {
        "id": event.id,
        "practice": practice.number,
        "strategy": practice.title,
        "market": event.market or setup.place,
        "timeframe": setup.timeframe,
        "kind": event.kind,
        "time": event.time,
        "text": event.text,
    }
    return json.dumps(told).encode()


def signature_of(body: bytes, secret: str) -> str:
    """What proves that a message comes from here: HMAC-SHA256 (RFC 2104) with the secret, in hexadecimal."""
    return "sha256=" + hmac.new(secret.encode(), body, hashlib.sha256).hexdigest()


def send(url: str, body: bytes, secret: str, event: int) -> tuple[bool, str]:
    """Whether an address took a message, and what it answered."""
    headers = {"content-type": "application/json", "x-skelb-event": str(event)}
    if secret:
        headers["x-skelb-signature"] = signature_of(body, secret)
    try:
        with _OPENER.open(Request(url, body, headers, method="POST"), timeout=_ANSWER_S) as answer:
            return answer.status in _TAKEN, f"answered {answer.status}"
    except HTTPError as exc:
        return False, f"answered {exc.code}"
    except TimeoutError:
        return False, f"no answer in {_ANSWER_S:.0f} s"
    except (URLError, HTTPException, OSError, ValueError) as exc:
        if isinstance(getattr(exc, "reason", None), TimeoutError):
            return False, f"no answer in {_ANSWER_S:.0f} s"
        return False, f"not there: {getattr(exc, 'reason', exc)}"


class Deliveries:
    """Sends what is due, of each practice one event at a time and in order.

    An event is due until it was taken; between tries it waits longer and longer. A program that ends between an answer
    and its record sends that event once more with the same id, by which receivers know it.
    """

    def __init__(self, store: PracticeStore) -> None:
        self._store = store
        self._until, self._wake = Event(), Event()  # where one was sent the next one goes at once
        self._busy: set[int] = set()
        self._lock = Lock()
        self._thread: Thread | None = None

    def begin(self) -> None:
        """Send in a thread of its own, until ended."""
        with self._lock:
            if self._thread is None:
                self._until.clear()
                self._thread = Thread(target=self._work, daemon=True)
                self._thread.start()

    def end(self) -> None:
        """Send no more; what is due waits for the next start."""
        self._until.set()
        self._wake.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _work(self) -> None:
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            while not self._until.is_set():
                self._wake.wait(_LOOK_S)
                self._wake.clear()
                with suppress(SkelbError):  # a file that cannot be read now is read later
                    for due in self._store.due(time.time_ns() // 1_000_000):
                        number = due.practice.number
                        with self._lock:
                            if number in self._busy:
                                continue
                            self._busy.add(number)
                        pool.submit(self._deliver, due)

    def _deliver(self, due: Due) -> None:
        try:
            body = message_of(due.event, due.practice)
            is_sent, answer = send(due.practice.webhook, body, due.secret, due.event.id)
            pause = _PAUSES_S[min(due.event.tries, len(_PAUSES_S) - 1)]
            with suppress(SkelbError):
                self._store.tried(due.event.id, is_sent, answer, time.time_ns() // 1_000_000 + pause * 1_000)
        finally:
            with self._lock:
                self._busy.discard(due.practice.number)
            self._wake.set()
