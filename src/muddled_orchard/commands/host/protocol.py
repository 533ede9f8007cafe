"""HTTP/1.1 as uvicorn has it, with a bound on the time that the head of a request may take."""

from __future__ import annotations

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

_HEADERS_WITHIN = 30.0


class PatientProtocol(H11Protocol):
    """A connection; it is let go of when no whole head has come for so long."""

    _waiting: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """Somebody is there."""
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        """Something has come."""
        super().data_received(data)
        if self.conn.their_state is h11.IDLE:
            self._wait()
        elif self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None

    def connection_lost(self, exc: Exception | None) -> None:
        """Nobody is there any more."""
        if self._waiting is not None:
            self._waiting.cancel()
        super().connection_lost(exc)

    def _wait(self) -> None:
        if self._waiting is None:
            self._waiting = self.loop.call_later(_HEADERS_WITHIN, self.transport.abort)
