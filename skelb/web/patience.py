"""Connections on which a request was begun and does not come: they are closed, not waited for without end."""

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

PATIENCE_S = 10.0


class PatientProtocol(H11Protocol):
    """HTTP as the server speaks it; closes a connection that says nothing for `PATIENCE_S` where a request is due."""

    _until: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """Begin to wait for the first request."""
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        """Go on with a request, and wait anew for what is missing of it."""
        super().data_received(data)
        self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        """Wait for nothing more."""
        self._stop()
        super().connection_lost(exc)

    def _stop(self) -> None:
        if self._until is not None:
            self._until.cancel()
            self._until = None

    def _wait(self) -> None:
        self._stop()
        if self._is_due():
            self._until = self.loop.call_later(PATIENCE_S, self._give_up)

    def _is_due(self) -> bool:
        """Whether the other side is to speak next; a connection that became a WebSocket is another protocol's."""
        return self.transport.get_protocol() is self and self.conn.their_state in (h11.IDLE, h11.SEND_BODY)

    def _give_up(self) -> None:
        if self.flow.read_paused:  # it is us who do not read
            self._wait()
        elif self._is_due():
            self.transport.close()
