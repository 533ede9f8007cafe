"""The connections that are open: bounded in all, for each address, and for each person.

A connection on which nobody has signed in yet is anonymous, and silent after some seconds. There is room for
few of these, and a new one takes the place of the oldest that asks for nothing: who opens a thousand and
stays silent closes their own.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterable
from contextlib import suppress
from typing import Protocol

_MOST = 2_000
"""The most connections, where the system lets a process open that many files."""

_FILES_BESIDE, _FILES_EACH = 200, 3
"""How many files the host itself has open, and a connection at most: itself, a body, an answer."""

_ANONYMOUS, _OF_ADDRESS, _OF_PERSON = 256, 64, 64
"""The most silent anonymous connections, and of one address, and the most of one person."""

_SILENT_AFTER = 6.0
"""Seconds after which an anonymous connection counts as silent: whoever means to sign in does so at once."""

Place = tuple[str, int]
"""The address and the port that a connection comes from."""


class Connection(Protocol):
    """A connection, as far as others are concerned."""

    @property
    def busy(self) -> bool:
        """Whether a request of it is being answered."""

    def let_go(self) -> None:
        """End it, here and now."""


class Connections:
    """All that are open. `shares` are addresses of proxies, from which everybody may come."""

    def __init__(
        self,
        shares: frozenset[str] = frozenset(),
        most: int | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._shares, self._most = shares, most if most is not None else _room()
        self._clock = clock
        self._open: dict[Place, Connection] = {}  # the oldest first
        self._since: dict[Place, float] = {}
        self._known: dict[Place, str] = {}

    def add(self, place: Place, connection: Connection) -> bool:
        """Whether there is room for one more; others may be ended for it."""
        now = self._clock()
        anonymous = [other for other in self._open if other not in self._known]
        silent = [other for other in anonymous if now - self._since[other] > _SILENT_AFTER]
        own = [other for other in silent if other[0] == place[0]]
        if len(own) >= _OF_ADDRESS and place[0] not in self._shares:
            self._end_one(own)
        elif len(silent) >= _ANONYMOUS:
            self._end_one(silent)
        if len(self._open) >= self._most:
            # Where no more fit, those go first who come from where most come from.
            many = Counter(address for address, _ in anonymous)
            anonymous.sort(key=lambda other: -many[other[0]])
            if not (self._end_one(anonymous) or self._end_one(self._open)):
                return False
        self._open[place], self._since[place] = connection, now
        return True

    def signed_in(self, place: Place, who: str) -> None:
        """Somebody has signed in on a connection."""
        if place not in self._open or self._known.get(place) == who:
            return
        own = [other for other, known in self._known.items() if known == who]
        if len(own) >= _OF_PERSON:
            self._end_one(own)
        self._known[place] = who

    def remove(self, place: Place) -> None:
        """It is closed."""
        self._open.pop(place, None)
        self._since.pop(place, None)
        self._known.pop(place, None)

    def __len__(self) -> int:
        return len(self._open)

    def _end_one(self, places: Iterable[Place]) -> bool:
        """End the oldest that asks for nothing; whether there was one."""
        for place in list(places):
            connection = self._open.get(place)
            if connection is not None and not connection.busy:
                self.remove(place)
                connection.let_go()
                return True
        return False


def _room() -> int:
    """How many connections the system has room for, when it gives this process what it may."""
    try:
        import resource
    except ImportError:  # not every system has such limits
        return _MOST
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = _FILES_BESIDE + _FILES_EACH * _MOST
    if hard != resource.RLIM_INFINITY:
        wanted = min(wanted, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        with suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
            soft = wanted
    if soft == resource.RLIM_INFINITY:
        return _MOST
    return max(16, min(_MOST, (soft - _FILES_BESIDE) // _FILES_EACH))
