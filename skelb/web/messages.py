"""Messages of a WebSocket as plain values, whatever a page sends."""

import json
from typing import Any

import orjson
from starlette.websockets import WebSocket, WebSocketDisconnect


class UnreadableError(ValueError):
    """A message that is not JSON, or too deep or too large to be a message of ours."""


async def next_message(socket: WebSocket) -> Any:
    """The next message. Raises UnreadableError on what is none, and WebSocketDisconnect once the page has gone."""
    event = await socket.receive()
    if event["type"] == "websocket.disconnect":
        raise WebSocketDisconnect(event.get("code", 1000))
    sent = event.get("text")
    return plain_json(event.get("bytes", b"") if sent is None else sent)


def plain_json(sent: str | bytes) -> Any:
    """JSON as plain values. Half a character, as an editor may cut one, becomes a question mark.

    Raises UnreadableError on anything that is not JSON.
    """
    try:
        return orjson.loads(sent)
    except orjson.JSONDecodeError:
        pass
    try:
        whole = json.dumps(json.loads(sent), ensure_ascii=False, allow_nan=False)
        return orjson.loads(whole.encode("utf-8", "replace"))
    except (ValueError, RecursionError) as exc:
        raise UnreadableError(f"this is not a message in JSON: {exc}") from None
