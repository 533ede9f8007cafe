"""News for the pages that are open: who is told what, as server-sent events (HTML Standard, 9.2)."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

_MOST_A_PERSON = 8
_ALIVE = 15.0
"""Seconds after which something is sent all the same, so that nobody in between thinks it is over."""


class TooManyPages(Exception):
    """Somebody has more pages open than are kept up to date."""


class News:
    """Pages that wait for news. A page hears that there is some, and asks for it: it misses nothing when
    several come at once."""

    def __init__(self) -> None:
        self._waiting: dict[str, set[asyncio.Event]] = {}
        self._ended = False

    def tell(self, *whose: str) -> None:
        """There is news for these people."""
        for who in whose:
            for event in self._waiting.get(who, ()):
                event.set()

    def end(self) -> None:
        """Let go of every page."""
        self._ended = True
        self.tell(*self._waiting)

    def of(self, who: str) -> AsyncIterator[bytes]:
        """What a page of somebody gets. Raises TooManyPages."""
        waiting = self._waiting.setdefault(who, set())
        if len(waiting) >= _MOST_A_PERSON:
            raise TooManyPages
        event = asyncio.Event()
        waiting.add(event)  # here and now: several may be asked for before the first begins
        return self._stream(who, event)

    async def _stream(self, who: str, event: asyncio.Event) -> AsyncIterator[bytes]:
        try:
            yield b": here\n\n"
            while not self._ended:
                try:
                    await asyncio.wait_for(event.wait(), _ALIVE)
                except TimeoutError:
                    yield b": still here\n\n"
                    continue
                event.clear()
                yield b"data: news\n\n"
        finally:
            self._waiting[who].discard(event)
