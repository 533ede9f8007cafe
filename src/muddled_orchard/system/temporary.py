"""Files and folders in the making, and folders for what lies on a disk for a while: gone afterwards, even
when a run was killed.

Whoever makes one holds a lock on it that the system lets go when the last process of the run ends. What a
dead run left, whose lock can be had, the next one removes.
"""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.system.processes import undisturbed

try:
    import fcntl
except ImportError:  # a system without such locks: what a killed run leaves there is left
    fcntl = None  # type: ignore[assignment]  # Windows has none

IN_THE_MAKING = ".muddled-"
"""How the names begin of what is made beside its place and then moved there."""

_TEMPORARY = "muddled-"
_LOCK = ".lock"
_ROOM = 4 << 30


@contextmanager
def temporary_folder() -> Iterator[Path]:
    """A private folder that is gone afterwards; in memory where the system offers that, with room, since
    scratch repositories and quarantines are many small files. Raises BadInput where none can be made."""
    place = _place()
    try:
        remove_left_over(place, _TEMPORARY)
        held = _Held(place, _TEMPORARY)
    except OSError as error:
        hint = "Make room there, or name another place in the variable TMPDIR."
        what = f"there can be no temporary folder here: {error.strerror}"
        raise BadInput(Problem(what, hint, file=str(place))) from None
    try:
        yield held.folder
    finally:
        held.close()


@contextmanager
def folder_in_the_making(place: Path) -> Iterator[Path]:
    """A folder beside others that is to be moved to its name with `settle`, or else is gone afterwards.
    Raises OSError where none can be made."""
    held = _Held(place, IN_THE_MAKING)
    try:
        yield held.folder
    finally:
        held.close()


def settle(making: Path, place: Path) -> None:
    """Move a folder in the making to its name, where nothing or an empty folder is. Raises OSError."""
    if place.exists():
        place.rmdir()
    making.replace(place)


def remove_left_over(place: Path, prefix: str = IN_THE_MAKING) -> None:
    """Remove what this user's dead runs left in a folder: files, and folders with the lock beside them."""
    if fcntl is None:
        return
    with suppress(OSError), os.scandir(place) as entries:
        for entry in entries:
            if (
                entry.name.startswith(prefix)
                and entry.is_file(follow_symlinks=False)
                and _is_left_over(entry)
            ):
                if entry.name.endswith(_LOCK):
                    shutil.rmtree(entry.path.removesuffix(_LOCK), ignore_errors=True)
                with suppress(OSError):
                    os.unlink(entry.path)  # noqa: PTH108 - it is a name


def hold(descriptor: int) -> None:
    """Say that an open file is in use, until it is closed."""
    if fcntl is not None:
        with suppress(OSError):  # a file system without locks
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)


class _Held:
    """A folder with a lock beside it that is there first and goes last, so that no folder is ever without.

    Raises OSError where it can't be made.
    """

    def __init__(self, place: Path, prefix: str) -> None:
        while True:
            self._lock, self._name = tempfile.mkstemp(prefix=prefix, suffix=_LOCK, dir=place)
            hold(self._lock)
            # Another run may have taken it for a dead one's in the moment before it was held.
            if os.path.lexists(self._name):
                break
            os.close(self._lock)
        self.folder = Path(self._name.removesuffix(_LOCK))
        try:
            self.folder.mkdir(mode=0o700)
        except OSError:
            self.close()
            raise

    def close(self) -> None:
        """Remove the folder, unless it went to its place, and the lock."""
        shutil.rmtree(self.folder, ignore_errors=True)
        with suppress(OSError):
            os.unlink(self._name)  # noqa: PTH108
        os.close(self._lock)


def _is_left_over(entry: os.DirEntry[str]) -> bool:
    """Whether a file is ours, and nobody holds it."""
    try:
        if entry.stat(follow_symlinks=False).st_uid != os.geteuid():
            return False
        descriptor = os.open(entry.path, os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK)
    except OSError:
        return False
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    else:
        return True
    finally:
        os.close(descriptor)


def _place() -> Path:
    memory = Path("/dev/shm")  # noqa: S108 - a fresh private folder is made in it
    try:
        # Whoever names a place gets it.
        if "TMPDIR" not in os.environ and shutil.disk_usage(memory).free > _ROOM:
            return memory
    except OSError:
        pass
    try:
        # Python tries where it may write, with a file: a request to end must not come before that is gone.
        with undisturbed():
            return Path(tempfile.gettempdir())
    except OSError as error:  # it tries to write in each place that it knows
        raise BadInput(Problem(f"there can be no temporary folder: {error.strerror}", "Make room.")) from None
