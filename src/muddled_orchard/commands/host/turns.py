"""Whose turn it is: work that few can do at once is shared between those who ask for it."""

from __future__ import annotations

import asyncio
import time
from collections import Counter
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager

from msgspec import Struct

_HALVED_EVERY = 60.0
"""Seconds after which half of what somebody took is forgotten."""

_SLOW = 3.0
"""Seconds that somebody may have taken of late without waiting behind the others."""

_LONG = 5.0
"""Seconds after which whoever waits is no longer put behind the others."""

_MOST_REMEMBERED = 10_000


class _Spent(Struct):
    """Seconds that somebody took, as they stood at a moment."""

    seconds: float
    at: float


class _Waiting(Struct):
    """Somebody who waits."""

    who: str
    since: float
    turn: asyncio.Future[None]


class Turns:
    """So many turns at once, of one person `of_one` at most.

    Nobody gets a second turn while another waits for a first. Who took long of late is slow: they wait behind
    the others, and one turn of several is never theirs, so that those who are quick always get one.
    """

    def __init__(
        self, at_once: int, of_one: int, clock: Callable[[], float] = time.monotonic, slow: float = _SLOW
    ) -> None:
        self._at_once, self._of_one, self._clock, self._slow = at_once, of_one, clock, slow
        self._running: Counter[str] = Counter()
        self._waiting: list[_Waiting] = []
        self._spent: dict[str, _Spent] = {}

    @asynccontextmanager
    async def turn(self, who: str) -> AsyncIterator[None]:
        """Wait for a turn, and have it until the block is left."""
        waiting = _Waiting(who, self._clock(), asyncio.get_running_loop().create_future())
        self._waiting.append(waiting)
        self._give()
        try:
            await waiting.turn
        except asyncio.CancelledError:
            if waiting in self._waiting:
                self._waiting.remove(waiting)
            else:
                self._end(who, 0.0)
            raise
        begun = self._clock()
        try:
            yield
        finally:
            self._end(who, self._clock() - begun)

    def is_slow(self, who: str) -> bool:
        """Whether somebody took long of late."""
        spent = self._spent.get(who)
        if spent is None:
            return False
        return _left(spent, self._clock()) > self._slow

    def _end(self, who: str, seconds: float) -> None:
        self._running[who] -= 1
        if not self._running[who]:
            del self._running[who]
        now, before = self._clock(), self._spent.pop(who, _Spent(0.0, 0.0))
        self._spent[who] = _Spent(_left(before, now) + seconds, now)
        while len(self._spent) > _MOST_REMEMBERED:
            del self._spent[next(iter(self._spent))]
        self._give()

    def _give(self) -> None:
        """Give every turn that there is."""
        while (chosen := self._next()) is not None:
            self._waiting.remove(chosen)
            self._running[chosen.who] += 1
            if not chosen.turn.done():
                chosen.turn.set_result(None)

    def _next(self) -> _Waiting | None:
        running = self._running.total()
        if running >= self._at_once:
            return None
        slow = sum(count for who, count in self._running.items() if self.is_slow(who))
        no_more_slow = self._at_once > 1 and slow >= self._at_once - 1
        ready = [
            waiting
            for waiting in self._waiting
            if self._running[waiting.who] < self._of_one and not (no_more_slow and self.is_slow(waiting.who))
        ]
        return min(ready, key=self._behind) if ready else None

    def _behind(self, waiting: _Waiting) -> tuple[int, bool]:
        """The more, the later is the turn; of equals who came first is first."""
        patient = self._clock() - waiting.since > _LONG
        return self._running[waiting.who], self.is_slow(waiting.who) and not patient


def _left(spent: _Spent, now: float) -> float:
    """What is not forgotten yet of the seconds that somebody took."""
    return spent.seconds * float(0.5 ** ((now - spent.at) / _HALVED_EVERY))
