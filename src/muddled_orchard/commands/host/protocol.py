"""HTTP/1.1 as uvicorn has it, with bounds on how long a connection may do nothing."""

from __future__ import annotations

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

from muddled_orchard.commands.host.connections import Connections

_HEADERS_WITHIN = 30.0
"""Seconds in which the head of a request must come, whole."""

_REST_WITHIN = 5.0
"""Seconds in which the rest of a body must come that nobody reads, since the answer was given without it."""

_READ_WITHIN = 60.0
"""Seconds in which some of an answer must be read when more waits."""


class PatientProtocol(H11Protocol):
    """A connection; it is let go of when nothing goes on for too long."""

    connections_open: Connections
    """Of the host; a class of its own for each host has it."""

    _coming: asyncio.TimerHandle | None = None
    _within = 0.0
    _going: asyncio.TimerHandle | None = None
    _counted = False

    @property
    def busy(self) -> bool:
        """Whether a request is being answered."""
        return self.cycle is not None and not self.cycle.response_complete

    def let_go(self) -> None:
        """End it, here and now."""
        self.transport.abort()

    def connection_made(self, transport: Any) -> None:
        """Somebody is there."""
        super().connection_made(transport)
        self._counted = self.client is not None and self.connections_open.add(self.client, self)
        if not self._counted and self.client is not None:
            self.transport.abort()
        self._wait(_HEADERS_WITHIN)

    def data_received(self, data: bytes) -> None:
        """Something has come."""
        super().data_received(data)
        self._look()

    def on_response_complete(self) -> None:
        """An answer is given."""
        super().on_response_complete()
        self._look()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nobody is there any more."""
        if self._counted and self.client is not None:
            self.connections_open.remove(self.client)
        for timer in (self._coming, self._going):
            if timer is not None:
                timer.cancel()
        super().connection_lost(exc)

    def pause_writing(self) -> None:
        """Nobody reads what was written."""
        super().pause_writing()
        if self._going is None:
            self._going = self.loop.call_later(_READ_WITHIN, self.transport.abort)

    def resume_writing(self) -> None:
        """It was read."""
        super().resume_writing()
        if self._going is not None:
            self._going.cancel()
            self._going = None

    def _look(self) -> None:
        """Wait for what has to come now; a few bytes of it are no reason to wait longer."""
        if self.busy:  # whoever answers has bounds of their own
            if self._coming is not None:
                self._coming.cancel()
                self._coming = None
        elif self.conn.their_state is h11.SEND_BODY:
            self._wait(_REST_WITHIN)
        else:
            self._wait(_HEADERS_WITHIN)

    def _wait(self, seconds: float) -> None:
        if self._coming is not None and self._within != seconds:
            self._coming.cancel()
            self._coming = None
        if self._coming is None:
            self._within = seconds
            self._coming = self.loop.call_later(seconds, self.transport.abort)


def protocol_with(connections: Connections) -> type[PatientProtocol]:
    """The protocol of a host whose connections these are."""
    return type("HostProtocol", (PatientProtocol,), {"connections_open": connections})
