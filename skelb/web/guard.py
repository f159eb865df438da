"""Refusing requests that do not come from the person at this machine."""

import secrets
from urllib.parse import parse_qs, urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_LOCAL = {"127.0.0.1", "localhost", "[::1]"}
_EVERYWHERE = {"0.0.0.0", "::"}


class Guard:
    """Checks Host and Origin of every request and WebSocket, and the token where one is required."""

    def __init__(self, app: ASGIApp, host: str, token: str | None) -> None:
        self._app = app
        # Bound to every address, the machine may be called by any of its names; the token is required then.
        self._hosts = None if host in _EVERYWHERE else _LOCAL | {host}
        self._token = token

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] in ("http", "websocket"):
            why = self._refusal(Headers(scope=scope), scope)
            if why:
                await _refuse(scope, send, why)
                return
            if self._token is not None and scope["type"] == "http":
                send = self._with_cookie(send)
        await self._app(scope, receive, send)

    def _with_cookie(self, send: Send) -> Send:
        """Answers give the page the token as a cookie, which its further requests carry by themselves."""

        async def sending(message: Message) -> None:
            if message["type"] == "http.response.start":
                cookie = f"skelb_token={self._token}; HttpOnly; SameSite=Strict; Path=/".encode()
                message = {**message, "headers": [*message["headers"], (b"set-cookie", cookie)]}
            await send(message)

        return sending

    def _refusal(self, headers: Headers, scope: Scope) -> str | None:
        host = headers.get("host", "")
        if self._hosts is not None and host.rsplit(":", 1)[0] not in self._hosts:
            return "this address is not served here"
        origin = headers.get("origin")
        if origin is not None and urlsplit(origin).netloc != host:
            return "requests from other pages are refused"
        if self._token is not None and not self._has_token(headers, scope):
            return "the token is missing: open the address that was printed at the start"
        return None

    def _has_token(self, headers: Headers, scope: Scope) -> bool:
        given = [headers.get("x-skelb-token", "")]
        given += parse_qs(scope.get("query_string", b"").decode("latin-1")).get("token", [])
        given += [
            part.split("=", 1)[1] for part in headers.get("cookie", "").split("; ") if part.startswith("skelb_token=")
        ]
        return any(secrets.compare_digest(item, self._token or "") for item in given)


async def _refuse(scope: Scope, send: Send, why: str) -> None:
    if scope["type"] == "websocket":
        await send({"type": "websocket.close", "code": 1008, "reason": why})
        return
    body = why.encode()
    await send({"type": "http.response.start", "status": 403, "headers": [(b"content-type", b"text/plain")]})
    await send({"type": "http.response.body", "body": body})
