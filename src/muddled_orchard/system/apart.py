"""Processes that are begun as programs of their own: from any thread, in any process, on any machine.

A pool forks, which is quick where this process alone decides what it is made of. A worker of a cluster has
threads, and may be forbidden to have children of that kind.
"""

from __future__ import annotations

import os
import pickle
import struct
import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from queue import SimpleQueue
from selectors import EVENT_READ, DefaultSelector
from typing import IO, Generic, TypeVar, cast

from muddled_orchard.system.log import write_log
from muddled_orchard.system.output import write_all
from muddled_orchard.system.processes import end_after
from muddled_orchard.system.workers import WorkerLost

Piece = TypeVar("Piece")
Result = TypeVar("Result")

_SIZE = struct.Struct(">Q")


class ProcessApart(Generic[Piece, Result]):
    """A process that does one piece of work after the other with what `prepare()` returned in it. It begins
    when it is first needed, and again after it was lost."""

    def __init__(self, prepare: Callable[[], Callable[[Piece], Result]]) -> None:
        self._prepare = pickle.dumps(prepare)
        self._process: subprocess.Popen[bytes] | None = None
        self._pipes: tuple[IO[bytes], IO[bytes]] | None = None

    def do(self, piece: Piece, seconds: float | None = None) -> Result:
        """Have a piece done. Raises what the work raised, TimeoutError, or WorkerLost."""
        until = None if seconds is None else time.monotonic() + seconds
        try:
            if self._process is None or self._process.poll() is not None:
                self._begin()
            self._send(pickle.dumps(piece))
            done, found = pickle.loads(self._receive(until))  # noqa: S301 - of our own process
        except (BrokenPipeError, EOFError):
            self.end()
            raise WorkerLost from None
        except TimeoutError:
            self.end()
            raise
        if not done:
            raise found
        return cast("Result", found)

    def kill(self) -> None:
        """Kill the process, from any thread: whoever waits for it is told that it was lost."""
        if self._process is not None:
            self._process.kill()

    def end(self, seconds: float = 0) -> None:
        """End the process, if there is one; it has so many seconds to tidy up."""
        if self._process is None:
            return
        try:
            if not seconds:
                self._process.kill()
            self._process.communicate(timeout=seconds or None)  # it ends when nothing more can come
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.communicate()
        except BrokenPipeError:
            self._process.wait()
        self._process = self._pipes = None

    def _begin(self) -> None:
        self.end()
        program = [sys.executable, "-m", __spec__.name if __spec__ else __name__]
        self._process = subprocess.Popen(program, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        self._pipes = cast("IO[bytes]", self._process.stdin), cast("IO[bytes]", self._process.stdout)
        self._send(self._prepare)

    def _send(self, data: bytes) -> None:
        pipe, _ = self._open_pipes()
        pipe.write(_SIZE.pack(len(data)) + data)
        pipe.flush()

    def _receive(self, until: float | None) -> bytes:
        (size,) = _SIZE.unpack(self._read(_SIZE.size, until))
        return self._read(size, until)

    def _read(self, size: int, until: float | None) -> bytes:
        _, pipe = self._open_pipes()
        descriptor = pipe.fileno()
        found = bytearray()
        with DefaultSelector() as reading:  # select() itself knows no descriptor above 1,023
            reading.register(descriptor, EVENT_READ)
            while len(found) < size:
                left = None if until is None else max(0.0, until - time.monotonic())
                if not reading.select(left):
                    raise TimeoutError
                part = os.read(descriptor, size - len(found))
                if not part:
                    raise EOFError
                found += part
        return bytes(found)

    def _open_pipes(self) -> tuple[IO[bytes], IO[bytes]]:
        """To the process, and from it. Raises EOFError where there is none."""
        if self._pipes is None:
            raise EOFError
        return self._pipes


class WorkersApart(Generic[Piece, Result]):
    """So many such processes for the pieces of any thread."""

    def __init__(self, number: int, prepare: Callable[[], Callable[[Piece], Result]]) -> None:
        self.number = number
        self._processes = [ProcessApart(prepare) for _ in range(number)]
        self._free: SimpleQueue[ProcessApart[Piece, Result]] = SimpleQueue()
        for process in self._processes:
            self._free.put(process)

    def begin_all(self, piece: Piece) -> None:
        """Begin every process with a piece that takes no time, all at once."""
        with ThreadPoolExecutor(len(self._processes)) as beginning:
            list(beginning.map(lambda process: process.do(piece), self._processes))

    def do(self, piece: Piece, seconds: float) -> Result:
        """Have a piece done; waits for it, in any thread. Raises what the work raised, or one of LOST."""
        process = self._free.get()
        try:
            return process.do(piece, seconds)
        finally:
            self._free.put(process)

    def kill(self) -> None:
        """Wait for nothing any more: what is being done is lost."""
        for process in self._processes:
            process.kill()

    def end(self) -> None:
        """End them all."""
        for process in self._processes:
            process.end()


def _main() -> None:
    """Be such a process: what comes in is work, until nothing more comes."""
    # What the work prints must not get between the answers.
    answers = os.dup(1)
    os.dup2(2, 1)
    write_log()
    end_after(os.getppid())  # else it would go on with its piece when that one was killed
    work = pickle.loads(_frame())()  # noqa: S301 - of the process that began this one
    while True:
        try:
            piece = pickle.loads(_frame())  # noqa: S301
        except EOFError:
            return
        try:
            answer = pickle.dumps((True, work(piece)))
        except BaseException as error:
            answer = pickle.dumps((False, error))
        try:
            write_all(answers, _SIZE.pack(len(answer)) + answer)
        except BrokenPipeError:  # whoever asked is gone
            return


def _frame() -> bytes:
    head = sys.stdin.buffer.read(_SIZE.size)
    if len(head) < _SIZE.size:
        raise EOFError
    return sys.stdin.buffer.read(*_SIZE.unpack(head))


if __name__ == "__main__":
    _main()
