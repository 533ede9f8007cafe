"""Bytes that are held on the disk for people while they are dealt with: bounded for each and for all."""

from __future__ import annotations

import os
import tempfile
import threading
from collections import Counter
from typing import IO

from muddled_orchard.commands.host.refused import Refused

_TOO_MUCH = "You have sent or asked for too much at once; try again when that is done."


class Held:
    """How many bytes are held, for whom."""

    def __init__(self, most_of_one: int, most_of_all: int) -> None:
        self._most_of_one, self._most_of_all = most_of_one, most_of_all
        self._of: Counter[str] = Counter()
        self._lock = threading.Lock()  # bodies are written by threads

    def take(self, who: str, size: int) -> None:
        """Hold more for somebody. Raises Refused where that is too much."""
        with self._lock:
            if self._of[who] + size > self._most_of_one:
                raise Refused(429, _TOO_MUCH)
            if self._of.total() + size > self._most_of_all:
                raise Refused(503, "Too much is being sent at once; try again in a minute.")
            self._of[who] += size

    def give_back(self, who: str, size: int) -> None:
        """It is dealt with."""
        with self._lock:
            self._of[who] -= size
            if self._of[who] <= 0:
                del self._of[who]

    @property
    def total(self) -> int:
        """All bytes that are held."""
        return self._of.total()


class HeldFile:
    """A file without a name, whose bytes count as held until it is closed."""

    def __init__(self, held: Held, who: str) -> None:
        self._held, self._who = held, who
        self.file: IO[bytes] = tempfile.TemporaryFile()  # noqa: SIM115 - close() closes it
        self.size = 0
        self._lock = threading.Lock()

    def write(self, data: bytes) -> None:
        """Write more, unless it is closed meanwhile. Raises Refused where too much is held, and OSError."""
        with self._lock:
            if not self.file.closed:
                self._held.take(self._who, len(data))
                self.size += len(data)
                self.file.write(data)

    def count(self) -> None:
        """Count what somebody else wrote to it, and stand at its beginning. Raises Refused."""
        size = self.file.seek(0, os.SEEK_END)
        self._held.take(self._who, size - self.size)
        self.size = size
        self.file.seek(0)

    def close(self) -> None:
        """Let go of it."""
        with self._lock:
            if not self.file.closed:
                self.file.close()
                self._held.give_back(self._who, self.size)

    def __del__(self) -> None:
        """An answer that was never begun, since nobody was there any more, is let go of by nobody else."""
        self.close()
