"""The live loop over one WebSocket: the page asks, a newer question takes the place of an older one."""

import asyncio
import contextlib
from collections.abc import Callable
from typing import Any, Literal

import orjson
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field, ValidationError

from skelb.core.errors import SkelbError
from skelb.service.application import Application
from skelb.service.settings import one_line
from skelb.service.setup import Setup
from skelb.service.workbench import Workbench

router = APIRouter()


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


class LevelsQuestion(BaseModel):
    """The stops and targets in force on each of some bars."""

    id: int
    run: str = Field(max_length=64)
    first: int
    last: int


@router.websocket("/live")
async def live(socket: WebSocket) -> None:
    """Questions of several kinds; of each kind only the newest waits while one is being answered."""
    await socket.accept()
    application: Application = socket.app.state.application
    workbench = Workbench(application.library, application.datasets)
    waiting: dict[str, dict[str, Any]] = {}
    wake = asyncio.Event()
    answering = asyncio.create_task(_answer(socket, workbench, waiting, wake))
    try:
        while True:
            question = await socket.receive_json()
            if isinstance(question, dict) and question.get("ask") in _ANSWERS:
                waiting[question["ask"]] = question
                wake.set()
    except (WebSocketDisconnect, ValueError, KeyError):
        pass  # gone, or not speaking JSON: either way there is nobody left to answer
    finally:
        answering.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await answering


async def _answer(
    socket: WebSocket, workbench: Workbench, waiting: dict[str, dict[str, Any]], wake: asyncio.Event
) -> None:
    while True:
        await wake.wait()
        wake.clear()
        while waiting:
            ask = next(kind for kind in _ANSWERS if kind in waiting)  # what the eye waits for goes first
            question = waiting.pop(ask)
            text = await asyncio.to_thread(_answer_one, workbench, ask, question)
            try:
                await socket.send_text(text)
            except (WebSocketDisconnect, RuntimeError):
                return  # the page is gone; so is the need for an answer


def _answer_one(workbench: Workbench, ask: str, question: dict[str, Any]) -> str:
    head = {"id": question.get("id"), "answer": ask}
    try:
        document = {**head, **_ANSWERS[ask](workbench, question)}
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
    return {"run": asked.run, "bar": asked.bar, "figures": workbench.figures_until(asked.run, asked.bar)}


def _funnel(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = FunnelQuestion.model_validate(question)
    return {"run": asked.run, **workbench.funnel(asked.run)}


def _lens(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = BarQuestion.model_validate(question)
    return {"run": asked.run, "bar": asked.bar, **workbench.lens(asked.run, asked.bar)}


def _levels(workbench: Workbench, question: dict[str, Any]) -> dict[str, Any]:
    asked = LevelsQuestion.model_validate(question)
    return {"run": asked.run, "levels": workbench.levels(asked.run, asked.first, asked.last)}


_ANSWERS: dict[str, Callable[[Workbench, dict[str, Any]], dict[str, Any]]] = {
    "run": _run,
    "window": _window,
    "explain": _explain,
    "next": _next,
    "until": _until,
    "lens": _lens,
    "funnel": _funnel,
    "levels": _levels,
    "try": _try,
}
