"""Processes that work side by side."""

from __future__ import annotations

import multiprocessing
import signal
import sys
from multiprocessing.context import BaseContext


def context() -> BaseContext:
    """How processes are begun: forked where that is safe, since a new one would first import everything."""
    return multiprocessing.get_context("fork" if sys.platform == "linux" else "spawn")


def leave_stopping_to_the_parent() -> None:
    """Ctrl-C reaches every process; what it means is the parent's to say."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
