"""The folder of a host's repositories: one host's at a time, and without what a dead Git left."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem

try:
    import fcntl
except ImportError:  # a system without such locks: two hosts at once are not noticed there
    fcntl = None  # type: ignore[assignment]  # Windows has none

_LOCK_IS_OLD = 600.0
"""Seconds after which a lock of Git's is nobody's: no push takes that long."""


@contextmanager
def held_alone(folder: Path, ledger: Path) -> Iterator[None]:
    """Hold the folder and the ledger, for this host alone. Raises BadInput where another one does."""
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(Problem(f"can't be written: {error.strerror}", file=str(folder))) from None
    hint = "End it, or name another folder with --repositories, and another ledger."
    with (
        _held(
            folder / ".host.lock", Problem("another host serves these repositories", hint, file=str(folder))
        ),
        _held(
            ledger.with_name(f".{ledger.name}.host.lock"),
            Problem("another host works with this ledger", hint, file=str(ledger)),
        ),
    ):
        yield


@contextmanager
def _held(place: Path, taken: Problem) -> Iterator[None]:
    try:
        lock = place.open("wb")
    except OSError as error:
        raise BadInput(Problem(f"can't be written: {error.strerror}", file=str(place))) from None
    with lock:
        if fcntl is not None:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                raise BadInput(taken) from None
        yield


class DiskUse:
    """How much the repositories of each learner hold, as of their last push."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._sizes: dict[Path, int] = {}

    def of(self, repositories: Iterable[Path]) -> int:
        """The bytes of some repositories together; those that were never looked at are."""
        return sum(self._sizes[place] if place in self._sizes else self.look(place) for place in repositories)

    def look(self, repository: Path) -> int:
        """The bytes of a repository as it is now."""
        self._sizes[repository] = size_below(repository)
        return self._sizes[repository]


def size_below(folder: Path) -> int:
    """How many bytes the files of a folder have."""
    size = 0
    with suppress(OSError), os.scandir(folder) as entries:
        for entry in entries:
            if entry.is_dir(follow_symlinks=False):
                size += size_below(Path(entry.path))
            else:
                size += entry.stat(follow_symlinks=False).st_size
    return size


def remove_old_locks(folder: Path) -> None:
    """Remove locks of refs that a Git left which was killed with the machine; others are in use."""
    for lock in folder.glob("*/*.git/**/*.lock"):
        with suppress(OSError):
            if time.time() - lock.stat().st_mtime > _LOCK_IS_OLD:
                lock.unlink()
