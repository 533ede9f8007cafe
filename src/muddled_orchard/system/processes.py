"""Processes that work side by side, and end when the process that began them does."""

from __future__ import annotations

import gc
import os
import signal
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from multiprocessing.context import ForkContext, SpawnContext

_GRACE = 2.0  # seconds; the parent has ended it before
_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG (prctl(2))


def context() -> ForkContext | SpawnContext:
    """How processes are begun: forked where that is safe, since a new one would first import everything."""
    import multiprocessing  # not every command begins processes

    if sys.platform == "linux":
        return multiprocessing.get_context("fork")
    return multiprocessing.get_context("spawn")


def share(work: int, jobs: int, most: int) -> int:
    """How many pieces of work to give a process at once: at most `most`. Where that is enough each process
    gets all of its own at once; else few enough that all have work to the end."""
    own = max(1, -(-work // jobs))
    return own if own <= most else max(1, min(most, -(-work // (4 * jobs))))


def be_a_worker(parent: int, seconds: float | None = None) -> None:
    """Prepare a process that was just begun by the process `parent`: it leaves Ctrl-C and a closed terminal
    to that one, and ends when that one does, however it ends.

    What has so many `seconds` for all of its work may end a second later, and at the latest when they are
    over: it takes longer to load what ends it at once than a small piece of work takes.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    if hasattr(signal, "pthread_sigmask"):
        signal.signal(signal.SIGHUP, signal.SIG_IGN)
        signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGTERM})  # it begins with them held back
    if seconds is not None and hasattr(signal, "setitimer"):
        signal.signal(signal.SIGALRM, signal.SIG_DFL)
        signal.setitimer(signal.ITIMER_REAL, seconds + _GRACE)
        end_after(parent)
    elif sys.platform == "linux":
        _end_with_parent()
        if os.getppid() != parent:  # it was quicker
            os._exit(1)
    else:
        end_after(parent)


def _end_with_parent() -> None:
    import ctypes

    ctypes.CDLL(None).prctl(_DEATH_SIGNAL, signal.SIGKILL)


def end_after(parent: int) -> None:
    """End this process within a second after its parent, whatever it is at. Unlike what Linux does itself it
    goes by the process: which thread began this one, and whether that has ended, is of no matter."""
    threading.Thread(target=_watch, args=(parent,), daemon=True).start()


def _watch(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(1)
    os._exit(1)


@contextmanager
def undisturbed() -> Iterator[None]:
    """Do in here what must not be left half done, as beginning processes and threads: Ctrl-C and requests to
    end wait until it is over."""
    if not hasattr(signal, "pthread_sigmask"):
        yield
        return
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT, signal.SIGTERM, signal.SIGHUP})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


def limit_memory(most: int) -> None:
    """Let this process have at most so many bytes more than it has, where the system can hold it to that."""
    try:
        import resource  # not on every system
    except ImportError:
        return
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    most += _held()
    if hard != resource.RLIM_INFINITY:
        most = min(most, hard)
    with suppress(ValueError, OSError):  # macOS takes no such limit
        resource.setrlimit(resource.RLIMIT_AS, (min(most, sys.maxsize), hard))


def _held() -> int:
    """How much address space this process has, in bytes; a worker begins with what its parent had loaded, and
    libraries answer strangely where nothing is left."""
    try:
        pages = Path("/proc/self/statm").read_text("utf-8").split()[0]
        return int(pages) * os.sysconf("SC_PAGE_SIZE")
    except (OSError, ValueError):  # not every system tells
        return 0


def limit_files_and_memory(largest: int, memory: int) -> None:
    """The same for a program that is about to begin, which also may write no file larger than `largest`
    bytes."""
    limit_memory(memory)
    try:
        import resource
    except ImportError:
        return
    resource.setrlimit(resource.RLIMIT_FSIZE, (largest, largest))


def bounded_command(memory: int, largest: int, *command: str) -> list[str]:
    """The command that runs a program, and all that it begins, within so many bytes of memory, and of any
    file that is written.

    A shell sets them: a process with threads must not do anything between the fork and the program. Where
    the system knows no such bound the program runs all the same.
    """
    if os.name != "posix":
        return list(command)
    kib, blocks = memory >> 10, (largest >> 9) + 1  # POSIX counts files in 512 bytes
    script = f'ulimit -v {kib} 2>/dev/null; ulimit -f {blocks} 2>/dev/null; ulimit -c 0; exec "$@"'
    return ["/bin/sh", "-c", script, "sh", *command]


def collect_seldom() -> None:
    """Look for unreachable objects seldom: what a worker holds (modules, keys) stays, and what it reads goes
    by itself."""
    gc.freeze()
    gc.set_threshold(100_000, 20, 100)
