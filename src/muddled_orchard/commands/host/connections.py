"""The connections that are open: bounded in all, for each address, and for each person.

A connection on which nobody has signed in yet is anonymous, and silent after some seconds. There is room for
few of these, and a new one takes the place of the oldest that asks for nothing: who opens a thousand and
stays silent closes their own.
"""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from contextlib import suppress
from itertools import islice
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
        self._open: dict[Place, Connection] = {}  # here and below the oldest first
        self._anonymous: dict[Place, float] = {}  # with the moment when each came
        self._of_address: defaultdict[str, dict[Place, None]] = defaultdict(dict)
        self._of_person: defaultdict[str, dict[Place, None]] = defaultdict(dict)
        self._known: dict[Place, str] = {}

    def add(self, place: Place, connection: Connection) -> bool:
        """Whether there is room for one more; others may be ended for it."""
        own = self._of_address[place[0]]
        if place[0] not in self._shares and self._has_silent(own, _OF_ADDRESS):
            self._end_one(own)
        elif self._has_silent(self._anonymous, _ANONYMOUS):
            self._end_one(self._anonymous)
        if len(self._open) >= self._most:
            # Where no more fit, those go first who come from where most come from.
            busiest = max(self._of_address.values(), key=len)
            room = self._end_one(busiest) or self._end_one(self._anonymous) or self._end_one(self._open)
            if not room:
                return False
        self._open[place], self._anonymous[place] = connection, self._clock()
        self._of_address[place[0]][place] = None
        return True

    def signed_in(self, place: Place, who: str) -> None:
        """Somebody has signed in on a connection."""
        if place not in self._open or self._known.get(place) == who:
            return
        own = self._of_person[who]
        if len(own) >= _OF_PERSON:
            self._end_one(own)
        self._leave(place)
        self._known[place] = who
        self._of_person[who][place] = None

    def remove(self, place: Place) -> None:
        """It is closed."""
        if self._open.pop(place, None) is not None:
            self._leave(place)

    def __len__(self) -> int:
        return len(self._open)

    def _leave(self, place: Place) -> None:
        """It is no longer anonymous, or no longer somebody's."""
        if self._anonymous.pop(place, None) is not None:
            _forget(self._of_address, place[0], place)
        elif place in self._known:
            _forget(self._of_person, self._known.pop(place), place)

    def _has_silent(self, places: Collection[Place], number: int) -> bool:
        """Whether so many of these, in the order in which they came, are silent."""
        if len(places) < number:
            return False
        newest = next(islice(places, number - 1, None))
        return self._clock() - self._anonymous[newest] > _SILENT_AFTER

    def _end_one(self, places: Iterable[Place]) -> bool:
        """End the oldest that asks for nothing; whether there was one."""
        for place in places:
            connection = self._open[place]
            if not connection.busy:
                self.remove(place)
                connection.let_go()
                return True
        return False


def _forget(groups: dict[str, dict[Place, None]], name: str, place: Place) -> None:
    groups[name].pop(place, None)
    if not groups[name]:
        del groups[name]


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
