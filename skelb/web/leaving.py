"""A request whose page has left: what is being computed for it is stopped."""

import asyncio
import contextlib

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from skelb.core.stopping import Stopped, Work, working


class Leaving:
    """Stops the work of a request once its client is gone.

    When the whole body was received, the next thing a client can say is that it has left: a task waits for that while
    the request is answered, in this context, which the threads that compute inherit.
    """

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        work = Work()
        watching: asyncio.Task[Message] | None = None

        async def listening() -> Message:
            message = await receive()
            if message["type"] == "http.disconnect":
                work.stop()
            return message

        async def receiving() -> Message:
            nonlocal watching
            if watching is not None:
                return await asyncio.shield(watching)
            message = await listening()
            if message["type"] == "http.request" and not message.get("more_body"):
                watching = asyncio.create_task(listening())
            return message

        try:
            with working(work):
                await self._app(scope, receiving, send)
        except Stopped:
            pass  # nobody is there to be told
        finally:
            if watching is not None:
                watching.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await watching
