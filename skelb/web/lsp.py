"""The language server over a WebSocket: one server instance per page."""

import asyncio
import contextlib
import json
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pygls.exceptions import JsonRpcException

from skelb.core.errors import SkelbError
from skelb.core.language import Setting
from skelb.core.language.assist import Surroundings
from skelb.service.application import Application
from skelb.service.language_server import Reach, ScriptServer, make_server

router = APIRouter()
PLACE = "skelb/place"  # our own notification: {"market": …, "timeframe": …} says where the script will run


class _Sender:
    """Takes the bytes the server writes and sends them, in order, from one task."""

    def __init__(self, socket: WebSocket) -> None:
        self._socket = socket
        self._waiting: asyncio.Queue[bytes] = asyncio.Queue()

    def write(self, data: bytes) -> None:
        """Queue one message."""
        self._waiting.put_nowait(data)

    def close(self) -> None:
        """Nothing to close: the socket belongs to its own handler."""

    async def run(self) -> None:
        """Send what is queued until the page is gone."""
        while True:
            data = await self._waiting.get()
            try:
                await self._socket.send_text(data.decode())
            except (WebSocketDisconnect, RuntimeError):
                return


class PageReach:
    """What the scripts of one page can reach: the library, and the market chosen there."""

    def __init__(self, application: Application) -> None:
        self._library = application.library
        self._place = Setting(scripts=self._library.saved_script)
        self._columns: tuple[str, ...] = ()

    def move(self, market: str, timeframe: str) -> None:
        """Take another market and timeframe; one that is not there leaves what was known."""
        try:
            found = self._library.market(market)
        except SkelbError:
            return
        has_pips = found.market.pip is not None
        self._place = Setting(timeframe in ("1d", "1w"), has_pips, self._library.saved_script)

    def setting(self, _uri: str) -> Setting:
        """What the checker may know."""
        return self._place

    def surroundings(self) -> Surroundings:
        """What completion can propose."""
        markets = [item.symbol for item in self._library.markets()]
        return Surroundings(markets, [item.title for item in self._library.scripts()], self._columns)


@router.websocket("/lsp")
async def language(socket: WebSocket) -> None:
    """The Language Server Protocol, one JSON message a frame."""
    await socket.accept()
    reach = PageReach(socket.app.state.application)
    server = make_server(Reach(reach.setting, reach.surroundings))
    sender = _Sender(socket)
    server.protocol.set_writer(sender, include_headers=False)
    sending = asyncio.create_task(sender.run())
    try:
        while True:
            message = json.loads(await socket.receive_text())
            if message.get("method") == PLACE:
                _moved(server, reach, message.get("params") or {})
                continue
            try:
                server.protocol.handle_message(server.protocol.structure_message(message))
            except JsonRpcException:
                continue  # no message of the protocol: nothing to answer
    except (WebSocketDisconnect, ValueError, AttributeError):
        pass  # gone, or not speaking JSON
    finally:
        sending.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await sending


def _moved(server: ScriptServer, reach: PageReach, params: dict[str, Any]) -> None:
    """Another market: everything open is checked anew for it."""
    reach.move(str(params.get("market", "")), str(params.get("timeframe", "")))
    server.tell_all()
