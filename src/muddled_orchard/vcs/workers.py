"""Processes that work side by side."""

from __future__ import annotations

import gc
import multiprocessing
import signal
import sys
from multiprocessing.context import BaseContext


def context() -> BaseContext:
    """How processes are begun: forked where that is safe, since a new one would first import everything."""
    return multiprocessing.get_context("fork" if sys.platform == "linux" else "spawn")


def share(work: int, jobs: int, most: int) -> int:
    """How many pieces of work to give a process at once: at most `most`, and few enough that all have work to
    the end."""
    return max(1, min(most, -(-work // (4 * jobs))))


def limit_memory(most: int) -> None:
    """Let this process have at most so many bytes, where the system can hold it to that."""
    try:
        import resource  # not on every system
    except ImportError:
        return
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    if hard != resource.RLIM_INFINITY:
        most = min(most, hard)
    resource.setrlimit(resource.RLIMIT_AS, (most, hard))


def collect_seldom() -> None:
    """Look for unreachable objects seldom: what a worker holds (modules, keys) stays, and what it reads goes
    by itself."""
    gc.freeze()
    gc.set_threshold(100_000, 20, 100)


def leave_stopping_to_the_parent() -> None:
    """Ctrl-C reaches every process; what it means is the parent's to say."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
