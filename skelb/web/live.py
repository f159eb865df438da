"""The live loop over one WebSocket: the page asks, a newer question takes the place of an older one and ends its work."""

import asyncio
import contextlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import orjson
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from skelb.core.errors import SkelbError
from skelb.core.stopping import Stopped, Work, working
from skelb.service.application import Application
from skelb.service.settings import one_line
from skelb.service.setup import Setup
from skelb.service.workbench import Workbench
from skelb.web.messages import UnreadableError, next_message

router = APIRouter()
Question = dict[str, Any]
Document = dict[str, Any]
_BREATH_S = 0.2


class RunQuestion(BaseModel):
    """Check and run a setup."""

    id: int
    setup: Setup


class WindowQuestion(BaseModel):
    """Part of the chart of a run."""

    id: int
    run: str = Field(max_length=64)
    first: int
    last: int
    columns: int


class BarQuestion(BaseModel):
    """About one bar of a run: what it did there, its figures up to there, or what the bar is made of."""

    id: int
    run: str = Field(max_length=64)
    bar: int


class TryQuestion(BaseModel):
    """The figures of a setup with one of its inputs at another value."""

    id: int
    setup: Setup
    input: str = Field(max_length=100)
    value: float | bool | str


class NextQuestion(BaseModel):
    """The next bar on which a lane's condition turns yes, or (`way` -1) the one before."""

    id: int
    run: str = Field(max_length=64)
    lane: str = Field(max_length=1000)
    bar: int
    way: Literal[1, -1]


class FunnelQuestion(BaseModel):
    """How many bars and signals each part of a run's entry rules let through."""

    id: int
    run: str = Field(max_length=64)


class TimesQuestion(BaseModel):
    """The bars of a run at some moments, seconds since 1970 UTC."""

    id: int
    run: str = Field(max_length=64)
    times: list[int] = Field(max_length=16)
    closed: bool = False


class ChartQuestion(BaseModel):
    """A run on bars of another timeframe."""

    id: int
    run: str = Field(max_length=64)
    timeframe: str = Field(max_length=8)


class LevelsQuestion(BaseModel):
    """The stops and targets in force on each of some bars."""

    id: int
    run: str = Field(max_length=64)
    first: int
    last: int


@dataclass
class _Answering:
    """The question that is being answered: `ending` says how it ends when it is stopped."""

    ask: str
    question: Question
    work: Work
    ending: Literal["superseded", "stopped", "again"] = "superseded"

    def stop(self, ending: Literal["superseded", "stopped", "again"]) -> None:
        """End it at its next stop point."""
        if not self.work.is_stopped:
            self.ending = ending
            self.work.stop()


class _Loop:
    """One page's questions. Of each kind the newest counts; every question gets one answer, or is told that it gets none.

    A run goes before everything else, and everything goes before curves: what is being computed for those is stopped,
    and begun again when the way is free. When the page leaves, nothing goes on.
    """

    def __init__(self, socket: WebSocket) -> None:
        self._socket = socket
        application: Application = socket.app.state.application
        self._library = application.library
        self._workbench = Workbench(application.library, application.datasets, application.tallies)
        self._waiting: dict[str, Question] = {}
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
        if not isinstance(ask, str) or ask not in _ANSWERS:
            kinds = ", ".join(_ANSWERS)
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
            await self._send({**_head(ask, older), "superseded": True})

    async def _answer(self) -> None:
        while True:
            await self._wake.wait()
            self._wake.clear()
            while self._waiting:
                ask = next(kind for kind in _ANSWERS if kind in self._waiting)  # what the eye waits for goes first
                self._now = now = _Answering(ask, self._waiting.pop(ask), Work())
                text = await asyncio.to_thread(_answer_one, self._workbench, now)
                self._now = None
                if text is not None:
                    await self._send_text(text)
                elif now.ending == "again" and ask not in self._waiting:
                    self._waiting[ask] = now.question
                else:
                    await self._send({**_head(ask, now.question), now.ending.replace("again", "superseded"): True})

    async def _tell_progress(self) -> None:
        """How far a run is, while it takes longer than a breath."""
        while True:
            now = self._now
            await asyncio.sleep(_BREATH_S)
            if now is not None and now is self._now and now.ask == "run":
                await self._send({**_head("progress", now.question), "done": now.work.done})

    async def _tell_changes(self, changed: asyncio.Queue[str]) -> None:
        """What was saved or taken away elsewhere, as soon as it was."""
        while True:
            await self._send({"answer": "changed", "what": await changed.get()})

    async def _refuse(self, question: Any, why: str) -> None:
        """Say that a message is no question."""
        await self._send({**_head("nothing", question if isinstance(question, dict) else {}), "error": why})

    async def _send(self, document: Document) -> None:
        await self._send_text(orjson.dumps(document).decode())

    async def _send_text(self, text: str) -> None:
        async with self._sending:
            with contextlib.suppress(WebSocketDisconnect, RuntimeError):  # the page is gone; so is the need for it
                await self._socket.send_text(text)


@router.websocket("/live")
async def live(socket: WebSocket) -> None:
    """The questions of one page, for as long as it is there."""
    await socket.accept()
    await _Loop(socket).serve()


def _head(ask: str, question: Question) -> Document:
    number = question.get("id")
    return {"id": number if isinstance(number, int) and abs(number) < 1 << 53 else None, "answer": ask}


def _answer_one(workbench: Workbench, now: _Answering) -> str | None:
    """The answer as JSON; None when it was stopped."""
    head = _head(now.ask, now.question)
    try:
        with working(now.work):
            document = {**head, **_ANSWERS[now.ask](workbench, now.question)}
    except Stopped:
        return None
    except ValidationError as exc:
        document = {**head, "error": one_line(exc)}
    except SkelbError as exc:
        document = {**head, "error": str(exc)}
    except Exception as exc:  # noqa: BLE001 - one bad question must not end the page's loop
        document = {**head, "error": f"This should not have happened: {type(exc).__name__}: {exc}"}
    return orjson.dumps(document, option=orjson.OPT_SERIALIZE_NUMPY).decode()


def _run(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    return workbench.run(RunQuestion.model_validate({"id": question.get("id"), "setup": question.get("setup")}).setup)


def _window(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = WindowQuestion.model_validate(question)
    return {"run": asked.run, **workbench.window(asked.run, asked.first, asked.last, asked.columns)}


def _explain(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = BarQuestion.model_validate(question)
    return {"run": asked.run, **workbench.explain(asked.run, asked.bar)}


def _try(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = TryQuestion.model_validate(question)
    return {"figures": workbench.figures_with(asked.setup, asked.input, asked.value)}


def _next(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = NextQuestion.model_validate(question)
    return {"run": asked.run, "bar": workbench.next_yes(asked.run, asked.lane, asked.bar, asked.way)}


def _until(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = BarQuestion.model_validate(question)
    closed, figures = workbench.figures_until(asked.run, asked.bar)
    return {"run": asked.run, "bar": asked.bar, "closed": closed, "figures": figures}


def _funnel(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = FunnelQuestion.model_validate(question)
    return {"run": asked.run, **workbench.funnel(asked.run)}


def _lens(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = BarQuestion.model_validate(question)
    return {"run": asked.run, "bar": asked.bar, **workbench.lens(asked.run, asked.bar)}


def _levels(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = LevelsQuestion.model_validate(question)
    return {"run": asked.run, "levels": workbench.levels(asked.run, asked.first, asked.last)}


def _bars_at(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = TimesQuestion.model_validate(question)
    return {"run": asked.run, "bars": workbench.bars_at(asked.run, asked.times, asked.closed)}


def _chart(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = ChartQuestion.model_validate(question)
    return workbench.chart(asked.run, asked.timeframe)


_ANSWERS: dict[str, Callable[[Workbench, dict[str, Any]], dict[str, Any]]] = {
    "run": _run,
    "chart": _chart,
    "bars_at": _bars_at,
    "window": _window,
    "explain": _explain,
    "next": _next,
    "until": _until,
    "lens": _lens,
    "funnel": _funnel,
    "levels": _levels,
    "try": _try,
}
