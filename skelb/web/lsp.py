"""The language server over a WebSocket."""

import asyncio
from typing import Any

from fastapi import APIRouter, WebSocket

router = APIRouter()


@router.websocket("/lsp")
async def language(socket: WebSocket) -> None:
    """The Language Server Protocol, one JSON message a frame."""
    await socket.accept()
    await asyncio.to_thread(socket.app.state.application.is_prepared.wait)
    conversation = await asyncio.to_thread(_conversation)
    await conversation(socket).hold()


def _conversation() -> Any:
    # Loading the protocol takes half a second: the page's first picture does not wait for it.
    from skelb.web.conversation import Conversation

    return Conversation
