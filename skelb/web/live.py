"""The live loop over one WebSocket: the page asks, a newer question takes the place of an older one and ends its
work."""

import asyncio
import contextlib
from dataclasses import dataclass
from typing import Any, Literal

import orjson
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError

from skelb.core.errors import SkelbError
from skelb.core.stopping import Stopped, Work, working
from skelb.service.application import Application
from skelb.service.mistakes import one_line
from skelb.service.workbench import Workbench
from skelb.web.live_questions import LIVE, LiveWord
from skelb.web.messages import UnreadableError, next_message

router = APIRouter()
Document = dict[str, object]
_BREATH_S = 0.2


@dataclass
class _Answering:
    """The question that is being answered: `ending` says how it ends when it is stopped."""

    ask: str
    question: Document
    work: Work
    ending: Literal["superseded", "stopped", "again"] = "superseded"

    def stop(self, ending: Literal["superseded", "stopped", "again"]) -> None:
        """End it at its next stop point."""
        if not self.work.is_stopped:
            self.ending = ending
            self.work.stop()


class _Loop:
    """One page's questions. Of each kind the newest counts; every question gets one answer, or is told that it gets
    none.

    A run goes before everything else, and everything goes before curves: what is being computed for those is stopped,
    and begun again when the way is free. When the page leaves, nothing goes on.
    """

    def __init__(self, socket: WebSocket) -> None:
        self._socket = socket
        application: Application = socket.app.state.application
        self._library = application.library
        self._workbench = Workbench(application.library, application.datasets, application.tallies, application.logbook)
        self._waiting: dict[str, Document] = {}
        self._wake = asyncio.Event()
        self._now: _Answering | None = None
        self._sending = asyncio.Lock()

    async def serve(self) -> None:
        """Answer until the page is gone."""
        loop = asyncio.get_running_loop()
        changed: asyncio.Queue[str] = asyncio.Queue()

        def tell(what: str) -> None:
            loop.call_soon_threadsafe(changed.put_nowait, what)

        forget = self._library.watch(tell)
        tasks = [
            asyncio.create_task(task) for task in (self._answer(), self._tell_progress(), self._tell_changes(changed))
        ]
        try:
            while True:
                try:
                    await self._take(await next_message(self._socket))
                except UnreadableError as exc:
                    await self._refuse(None, str(exc))
        except WebSocketDisconnect:
            pass
        finally:
            forget()
            self._workbench.look_away()
            if self._now:
                self._now.stop("superseded")
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    async def _take(self, question: Any) -> None:
        """Put a question in its line; what it takes the place of ends."""
        ask = question.get("ask") if isinstance(question, dict) else None
        if ask == "stop":
            if self._now and self._now.ask == "run":
                self._now.stop("stopped")
            return
        if not isinstance(ask, str) or ask not in LIVE:
            kinds = ", ".join(LIVE)
            await self._refuse(question, f"a question has an `ask` that is one of: {kinds}, stop")
            return
        older = self._waiting.pop(ask, None)
        self._waiting[ask] = question
        if self._now and self._now.ask == ask:
            self._now.stop("superseded")
        elif self._now and (ask == "run" or self._now.ask == "try"):
            self._now.stop("again")
        self._wake.set()
        if older is not None:
            await self._send(LiveWord(id=_number(older), answer=ask, superseded=True))

    async def _answer(self) -> None:
        while True:
            await self._wake.wait()
            self._wake.clear()
            while self._waiting:
                ask = next(kind for kind in LIVE if kind in self._waiting)  # what the eye waits for goes first
                self._now = now = _Answering(ask, self._waiting.pop(ask), Work())
                text = await asyncio.to_thread(_answer_one, self._workbench, now)
                self._now = None
                if text is not None:
                    await self._send_text(text)
                elif now.ending == "again" and ask not in self._waiting:
                    self._waiting[ask] = now.question
                else:
                    number = _number(now.question)
                    if now.ending == "stopped":
                        await self._send(LiveWord(id=number, answer=ask, stopped=True))
                    else:
                        await self._send(LiveWord(id=number, answer=ask, superseded=True))

    async def _tell_progress(self) -> None:
        """How far a run is, while it takes longer than a breath."""
        while True:
            now = self._now
            await asyncio.sleep(_BREATH_S)
            if now is not None and now is self._now and now.ask == "run":
                await self._send(LiveWord(id=_number(now.question), answer="progress", done=now.work.done))

    async def _tell_changes(self, changed: asyncio.Queue[str]) -> None:
        """What was saved or taken away elsewhere, as soon as it was."""
        while True:
            await self._send(LiveWord(answer="changed", what=await changed.get()))

    async def _refuse(self, question: Any, why: str) -> None:
        """Say that a message is no question."""
        await self._send(LiveWord(id=_number(question), answer="nothing", error=why))

    async def _send(self, word: LiveWord) -> None:
        await self._send_text(word.model_dump_json(exclude_unset=True))

    async def _send_text(self, text: str) -> None:
        async with self._sending:
            with contextlib.suppress(WebSocketDisconnect, RuntimeError):  # the page is gone; so is the need for it
                await self._socket.send_text(text)


@router.websocket("/live")
async def live(socket: WebSocket) -> None:
    """The questions of one page, for as long as it is there."""
    await socket.accept()
    await _Loop(socket).serve()


def _number(question: object) -> int | None:
    """The number of a question, or of what was meant to be one."""
    number = question.get("id") if isinstance(question, dict) else None
    return number if isinstance(number, int) and abs(number) < 1 << 53 else None


def _answer_one(workbench: Workbench, now: _Answering) -> str | None:
    """The answer as JSON; None when it was stopped."""
    try:
        with working(now.work):
            told = LIVE[now.ask].told(workbench, now.question)
        return orjson.dumps({"id": now.question["id"], "answer": now.ask, **told}).decode()
    except Stopped:
        return None
    except ValidationError as exc:
        error = one_line(exc)
    except SkelbError as exc:
        error = str(exc)
    except Exception as exc:  # noqa: BLE001 - one bad question must not end the page's loop
        error = f"This should not have happened: {type(exc).__name__}: {exc}"
    word = LiveWord(id=_number(now.question), answer=now.ask, error=error)
    return word.model_dump_json(exclude_unset=True)
