"""Refusing requests that do not come from the person at this machine."""

import secrets
from urllib.parse import parse_qsl, urlencode, urlsplit

from starlette.datastructures import Headers
from starlette.requests import cookie_parser
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from skelb.web.problems import MEDIA_TYPE, problem_body

_LOCAL = {"127.0.0.1", "localhost", "[::1]"}
_EVERYWHERE = {"0.0.0.0", "::"}
_A_YEAR_S = 31_536_000
NO_TOKEN = (
    "Skelb opens for whoever started it: open the address that `skelb serve` printed, the one with ?token= in it."
    " Programs send what stands in the file `token` of the data folder as the header x-skelb-token."
)


def cookie_name(host: str) -> str:
    """The cookie that carries the token of what is served at a host; ports have cookies of their own."""
    _, sign, port = host.rpartition(":")
    return f"skelb_token_{port}" if sign and port.isdigit() else "skelb_token"


class Guard:
    """Checks Host, Origin and Sec-Fetch-Site of every request and WebSocket, and the token where one is set.

    An address with the token in it leads to the same one without it, and leaves the token in a cookie.
    """

    def __init__(self, app: ASGIApp, host: str, token: str | None) -> None:
        self._app = app
        # Bound to every address, the machine may be called by any of its names.
        self._hosts = None if host in _EVERYWHERE else _LOCAL | {host}
        self._token = token

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] in ("http", "websocket"):
            headers = Headers(scope=scope)
            why = self._foreign(headers)
            if why is None and self._token is not None and not self._has_token(headers):
                if scope["type"] == "http" and scope["method"] == "GET" and self._is_token(_asked_token(scope)):
                    await self._let_in(scope, headers, send)
                    return
                why = NO_TOKEN
            if why:
                await _refuse(scope, send, why)
                return
        await self._app(scope, receive, send)

    def _foreign(self, headers: Headers) -> str | None:
        """Why a request is not from here; None when it is."""
        host = headers.get("host", "")
        if self._hosts is not None and host.rsplit(":", 1)[0] not in self._hosts:
            return "this address is not served here"
        origin = headers.get("origin")
        if headers.get("sec-fetch-site") == "cross-site" or (origin is not None and urlsplit(origin).netloc != host):
            return "requests from other pages are refused"
        return None

    def _has_token(self, headers: Headers) -> bool:
        given = headers.get("x-skelb-token")
        if given is None:
            cookies = cookie_parser(headers.get("cookie", ""))  # whatever else is open on this machine sets some too
            given = cookies.get(cookie_name(headers.get("host", "")), "")
        return self._is_token(given)

    def _is_token(self, given: str) -> bool:
        return secrets.compare_digest(given.encode("utf-8", "replace"), (self._token or "").encode())

    async def _let_in(self, scope: Scope, headers: Headers, send: Send) -> None:
        """To the same address without the token, which the page's further requests carry by themselves."""
        others = [(name, value) for name, value in _query(scope) if name != "token"]
        # Of one slash: two would be another machine's address.
        path = "/" + scope.get("raw_path", b"/").decode("latin-1").lstrip("/")
        where = f"{path}?{urlencode(others)}" if others else path
        cookie = f"{cookie_name(headers.get('host', ''))}={self._token}; HttpOnly; SameSite=Strict; Path=/; Max-Age={_A_YEAR_S}"  # noqa: E501
        answer = [
            (b"location", where.encode("latin-1")),
            (b"set-cookie", cookie.encode()),
            (b"cache-control", b"no-store"),
        ]
        await send({"type": "http.response.start", "status": 303, "headers": answer})
        await send({"type": "http.response.body", "body": b""})


def _query(scope: Scope) -> list[tuple[str, str]]:
    return parse_qsl(scope.get("query_string", b"").decode("latin-1"), keep_blank_values=True)


def _asked_token(scope: Scope) -> str:
    return dict(_query(scope)).get("token", "")


async def _refuse(scope: Scope, send: Send, why: str) -> None:
    if scope["type"] == "websocket":
        await send({"type": "websocket.close", "code": 1008, "reason": why[:120]})
        return
    is_api = scope["path"].startswith("/api/")
    body = problem_body(403, why) if is_api else f"{why}\n".encode()
    kind = MEDIA_TYPE.encode() if is_api else b"text/plain; charset=utf-8"
    start: Message = {"type": "http.response.start", "status": 403, "headers": [(b"content-type", kind)]}
    await send(start)
    await send({"type": "http.response.body", "body": body})
