"""A run that is stopped from outside, and output that nobody can take: told in a line, with nothing lost."""

from __future__ import annotations

import io
import os
import signal
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from types import FrameType
from typing import Any, NoReturn

_MOMENT = 0.01


class Stopped(KeyboardInterrupt):
    """The process was asked to end; `code` is the exit code that says by which signal."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self.code = 128 + number


@contextmanager
def stoppable() -> Iterator[None]:
    """Turn Ctrl-C, and requests to end, into the exception Stopped. Where Ctrl-C is ignored it stays so."""
    before = {}
    hook = sys.unraisablehook
    try:
        sys.unraisablehook = _ask_again
        for name in ("SIGINT", "SIGTERM", "SIGHUP"):
            number = getattr(signal, name, None)
            if number is not None and signal.getsignal(number) is not signal.SIG_IGN:
                before[number] = signal.signal(number, _stop)
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
        sys.unraisablehook = hook


def leave_be() -> None:
    """Heed no further request to end: this one is being told."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _stop(number: int, _: FrameType | None) -> NoReturn:
    raise Stopped(number)


def _ask_again(answer: Any) -> None:
    """Python drops what is raised while it cleans up; a request to end is made once more, and a moment later:
    in here it would be dropped again."""
    if issubclass(answer.exc_type, Stopped):
        import threading

        number = answer.exc_value.code - 128
        again = threading.Timer(_MOMENT, os.kill, (os.getpid(), number))
        again.daemon = True
        again.start()
    else:
        sys.__unraisablehook__(answer)


def open_standard_streams() -> None:
    """Make sure that there are standard streams: one that was closed must not become the next file that is
    opened. Writing to a closed standard output then fails, as it should; other messages are lost."""
    while (descriptor := os.open(os.devnull, os.O_RDONLY)) < 3:
        pass
    os.close(descriptor)
    if sys.stdout is None:
        sys.stdout = io.TextIOWrapper(io.FileIO(1, "wb", closefd=False), write_through=True)
    if sys.stderr is None:
        sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115, PTH123
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # a name that the terminal can't show is spelt out


def give_up_stdout() -> None:
    """Throw away what standard output did not take, so that nothing complains about it at the end."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
