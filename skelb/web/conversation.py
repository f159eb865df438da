"""What the language server and one page say to each other: one server instance per page."""

import asyncio
from collections import deque
from collections.abc import Mapping
from typing import Any

from fastapi import WebSocket, WebSocketDisconnect
from lsprotocol import types as lsp

from skelb.core.errors import SkelbError
from skelb.core.language import Setting
from skelb.core.language.assist import Surroundings
from skelb.service.application import Application
from skelb.service.language_server import Reach, ScriptServer, make_server
from skelb.web.messages import UnreadableError, next_message

PLACE = "skelb/place"  # our own notification: {"market": …, "timeframe": …} says where the script will run
_SCRIPTS_CHANGED: dict[str, Any] = {}  # stands in the line of messages when something was saved
MOST_WAITING = 200  # messages read ahead of the one that is worked on


class _Outbox:
    """Takes the bytes the server writes, from any thread, and sends them in order from one task."""

    def __init__(self, socket: WebSocket) -> None:
        self._socket = socket
        self._loop = asyncio.get_running_loop()
        self._waiting: asyncio.Queue[bytes] = asyncio.Queue()

    def write(self, data: bytes) -> None:
        """Queue one message."""
        self._loop.call_soon_threadsafe(self._waiting.put_nowait, data)

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


class PageReach(Reach):
    """What the scripts of one page can reach: the library, and the market chosen there."""

    def __init__(self, application: Application) -> None:
        self._library = application.library
        self._place = Setting(scripts=self._library.saved_script, titles=self._titles)
        self._columns: tuple[str, ...] = ()

    def move(self, market: str, timeframe: str) -> None:
        """Take another market and timeframe; one that is not there leaves what was known."""
        try:
            found = self._library.market(market)
        except SkelbError:
            return
        has_pips = found.market.pip is not None
        self._place = Setting(timeframe in ("1d", "1w"), has_pips, self._library.saved_script, self._titles)

    def setting(self, _uri: str, _texts: Mapping[str, str]) -> Setting:
        """What the checker may know."""
        return self._place

    def surroundings(self, _texts: Mapping[str, str]) -> Surroundings:
        """What completion can propose."""
        markets = [item.symbol for item in self._library.markets()]
        return Surroundings(markets, self._titles(), self._columns)

    def _titles(self) -> list[str]:
        return [item.title for item in self._library.scripts()]


class Conversation:
    """One page's messages: read as they come, worked on one after the other beside the event loop.

    While one is worked on, others may come to wait. A new text that is followed at once by a newer one is passed over;
    one that is asked about is not, as editors go on from answers about a text of a moment ago.
    """

    def __init__(self, socket: WebSocket) -> None:
        self._socket = socket
        self._library = socket.app.state.application.library
        self._reach = PageReach(socket.app.state.application)
        self._server = make_server(self._reach)
        self._outbox = _Outbox(socket)
        self._server.protocol.set_writer(self._outbox, include_headers=False)
        self._waiting: deque[Any] = deque()
        self._has_come, self._has_room = asyncio.Event(), asyncio.Event()

    async def hold(self) -> None:
        """Answer until the page has gone."""
        tasks = [asyncio.create_task(task) for task in (self._work(), self._outbox.run())]
        loop = asyncio.get_running_loop()
        forget = self._library.watch(
            lambda what: loop.call_soon_threadsafe(self._take, _SCRIPTS_CHANGED) if what == "scripts" else None
        )
        try:
            await self._read()
        finally:
            forget()
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    async def _read(self) -> None:
        while True:
            try:
                message = await next_message(self._socket)
            except UnreadableError as exc:
                self._server.refuse(None, lsp.ErrorCodes.ParseError, str(exc))
                continue
            except WebSocketDisconnect:
                return
            self._take(message)
            while len(self._waiting) >= MOST_WAITING:
                self._has_room.clear()
                await self._has_room.wait()

    def _take(self, message: Any) -> None:
        self._waiting.append(message)
        self._has_come.set()

    async def _work(self) -> None:
        while True:
            await self._has_come.wait()
            self._has_come.clear()
            while self._waiting:
                message = self._waiting.popleft()
                self._has_room.set()
                if _method(message) == lsp.EXIT:  # what it ends is this conversation, not the program
                    await self._socket.close()
                    return
                if self._waiting and _changed(message) and _changed(message) == _changed(self._waiting[0]):
                    continue
                await asyncio.to_thread(self._handle, message)

    def _handle(self, message: Any) -> None:
        """Give one message to the server. From a thread of its own."""
        try:
            if _method(message) == PLACE:
                _moved(self._server, self._reach, message.get("params"))
            elif message is _SCRIPTS_CHANGED:
                self._server.tell_users()
            else:
                self._server.take(message)
        except SkelbError as exc:  # the data file cannot be read just now: the conversation goes on
            self._server.warn(str(exc))


def _method(message: Any) -> Any:
    return message.get("method") if isinstance(message, dict) else None


def _document(message: Any) -> str | None:
    """The address of the document that a message is about."""
    params = message.get("params") if isinstance(message, dict) else None
    document = params.get("textDocument") if isinstance(params, dict) else None
    uri = document.get("uri") if isinstance(document, dict) else None
    return uri if isinstance(uri, str) else None


def _changed(message: Any) -> str | None:
    """The address of the document that a message brings a new text of."""
    return _document(message) if _method(message) == lsp.TEXT_DOCUMENT_DID_CHANGE else None


def _moved(server: ScriptServer, reach: PageReach, params: Any) -> None:
    """Another market: everything open is checked anew for it."""
    if isinstance(params, dict):
        reach.move(str(params.get("market", "")), str(params.get("timeframe", "")))
        server.tell_all()
