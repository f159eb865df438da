"""A receiver that stands in for a real one: takes what practices send, each event once, and can fail on purpose."""

import hmac
import json
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from skelb.core.errors import SettingsError
from skelb.service.practice.deliveries import signature_of

_LARGEST = 1 << 20
Document = dict[str, Any]


class Listener:
    """Listens at a port of this machine; `take` is given every event once, by its id.

    With a secret what is not signed with it is refused; the first `failing` messages are answered with 503.
    """

    def __init__(self, port: int, take: Callable[[Document], None], secret: str = "", failing: int = 0) -> None:
        self._take, self._secret, self._failing = take, secret, failing
        self._known: set[int] = set()
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                """One message."""
                size = int(self.headers.get("content-length") or 0)
                body = self.rfile.read(min(size, _LARGEST))
                self.send_response(outer._answer(body, self.headers.get("x-skelb-signature") or ""))
                self.end_headers()

            def log_message(self, *_: object) -> None:
                """Nothing: what is taken is told."""

        try:
            self._server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
        except OSError as exc:
            raise SettingsError(f"port {port} cannot be taken: {exc.strerror}; choose another with --port") from exc

    @property
    def url(self) -> str:
        """Where it listens."""
        return f"http://127.0.0.1:{self._server.server_address[1]}/"

    def listen(self) -> None:
        """Until it is closed."""
        self._server.serve_forever(0.1)

    def close(self) -> None:
        """Listen no more."""
        self._server.shutdown()
        self._server.server_close()

    def _answer(self, body: bytes, signature: str) -> int:
        if self._failing > 0:
            self._failing -= 1
            return 503
        if self._secret and not hmac.compare_digest(signature, signature_of(body, self._secret)):
            return 401
        try:
            told = json.loads(body)
            number = int(told["id"])
        except (ValueError, TypeError, KeyError):
            return 400
        if number == 0 or number not in self._known:  # 0 is a test
            self._known.add(number)
            self._take(told)
        return 200
