"""Work in processes of its own: pieces done side by side in a pool, or few of them in a process each, stopped
at once when the run is."""

from __future__ import annotations

import os
import pickle
import select
import signal
import sys
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, NoReturn, Protocol, TypeVar

from msgspec import Struct

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.system.log import log
from muddled_orchard.system.processes import be_a_worker, collect_seldom, context, limit_memory, undisturbed

if TYPE_CHECKING:
    from pebble import ProcessFuture, ProcessPool

# How long the pool sleeps between two looks, in seconds; as it comes, its end alone would take a tenth.
_SECONDS_BETWEEN_LOOKS = 0.01

Piece = TypeVar("Piece")
Result = TypeVar("Result")
_Piece_contra = TypeVar("_Piece_contra", contravariant=True)
_Result_co = TypeVar("_Result_co", covariant=True)


PORTIONS_AHEAD = 4
"""How many portions of work a worker may be ahead of what is made of them."""


class Machines(Struct, frozen=True):
    """Where work is done: in `jobs` processes here, or by the workers of the cluster whose scheduler has this
    address. With `ship` submissions travel there; otherwise workers see them under the same paths."""

    jobs: int
    cluster: str | None = None
    ship: bool = False


class ClusterUnusable(BadInput):
    """There is no cluster, or no more, or none that can be worked with."""


class WorkerLost(Exception):
    """A process ended unexpectedly, and the piece of work that it did is lost; no other is."""


LOST = (TimeoutError, MemoryError, WorkerLost)
"""What a result that never comes raises, wherever the work was done."""


def why_lost(error: BaseException, doing: str, bounds: Bounds, piece: object) -> str:
    """Why a piece of work was lost, in a few words; the log has the rest. `doing` is what it was, as in
    `reading it`."""
    log().warning("lost while %s: %s", doing, piece, exc_info=error)
    if isinstance(error, TimeoutError):
        return f"{doing} took more than {counted(bounds.seconds, 'second')}"
    if isinstance(error, MemoryError):
        return f"{doing} takes more than {bounds.memory >> 20} MiB of memory"
    return f"{doing} took its process down; a person has to look"


def begin_work(folder: Path, bounds: Bounds) -> Path:
    """What a worker does before its work, which is bounded in memory from then on: the folder of its own that
    it gets in `folder`."""
    collect_seldom()
    limit_memory(bounds.memory)
    own = folder / str(os.getpid())
    own.mkdir()
    return own


class Awaited(Protocol[_Result_co]):
    """A result that is on its way."""

    def result(self) -> _Result_co:
        """Wait for it. Raises what the work raised, TimeoutError, or WorkerLost."""


class Workers(Protocol[_Piece_contra, _Result_co]):
    """Processes that do pieces of one kind of work."""

    def submit(self, piece: _Piece_contra, seconds: float | None = None) -> Awaited[_Result_co]:
        """Have a piece done, in at most so many seconds once it is begun."""


def in_order(
    pieces: Iterable[Piece], begin: Callable[[Piece], Result], ahead: int
) -> Iterator[tuple[Piece, Result]]:
    """Each piece with what `begin` returned for it, in order. The first `ahead` are begun here and now, and
    no more than these before they are asked for: however many there are, few are held."""
    pieces = iter(pieces)
    begun = deque((piece, begin(piece)) for piece in islice(pieces, ahead))

    def rest() -> Iterator[tuple[Piece, Result]]:
        while begun:
            yield begun.popleft()
            begun.extend((piece, begin(piece)) for piece in islice(pieces, 1))

    return rest()


@contextmanager
def workers(
    number: int, prepare: Callable[..., Callable[[Piece], Result]], *shared: Any
) -> Iterator[Workers[Piece, Result]]:
    """So many processes, each of which does its work with what `prepare(*shared)` returned in it.

    They begin here and now, and none of them is left afterwards: what is not done by then is dropped. No
    thread of this process may be running yet, since the processes are forked where that is possible.
    """
    from pebble import CONSTS, ProcessPool  # it takes longer to load than a single piece of work does

    CONSTS.sleep_unit = _SECONDS_BETWEEN_LOOKS
    pool = None
    try:
        with undisturbed():
            pool = ProcessPool(
                number, initializer=_prepare, initargs=(os.getpid(), prepare, shared), context=context()
            )
            pool.active  # noqa: B018 - the first question begins it
        yield _Pool(pool)
    finally:
        if pool is not None:
            pool.stop()  # type: ignore[no-untyped-call]  # pebble types only a part
            pool.join()


@contextmanager
def few_workers(
    number: int, prepare: Callable[..., Callable[[Piece], Result]], *shared: Any
) -> Iterator[Workers[Piece, Result]]:
    """The same for a few pieces of work, which a pool would take longer to load than to do: each gets a
    process of its own, `number` of them at once, the first when they are submitted."""
    if sys.platform != "linux":
        with workers(number, prepare, *shared) as pool:
            yield pool
        return
    few: _Few[Piece, Result] = _Few(number, prepare, shared)
    try:
        yield few
    finally:
        few.stop()


def workers_for(
    pieces: int, number: int, prepare: Callable[..., Callable[[Piece], Result]], *shared: Any
) -> AbstractContextManager[Workers[Piece, Result]]:
    """The processes for so many pieces of work, `number` at once: a pool where there are more than that."""
    if pieces <= number:
        return few_workers(number, prepare, *shared)
    return workers(number, prepare, *shared)


class _Pool(Generic[Piece, Result]):
    def __init__(self, pool: ProcessPool) -> None:
        self._pool = pool

    def submit(self, piece: Piece, seconds: float | None = None) -> Awaited[Result]:
        return _Scheduled(self._pool.schedule(_do, args=[piece], timeout=seconds))


class _Scheduled(Generic[Result]):
    """A result that a pool will have."""

    def __init__(self, future: ProcessFuture[Result]) -> None:
        self._future = future

    def result(self) -> Result:
        from pebble import ProcessExpired

        try:
            return self._future.result()
        except ProcessExpired as expired:
            raise WorkerLost(f"it ended with {expired.exitcode}") from None


class _Few(Generic[Piece, Result]):
    """Forked here and not by multiprocessing, which takes longer to load than a submission is graded in."""

    def __init__(
        self, number: int, prepare: Callable[..., Callable[[Piece], Result]], shared: tuple[Any, ...]
    ) -> None:
        self._number = number
        self._given = (os.getpid(), prepare, shared)
        self._waiting: deque[_Sent[Result]] = deque()
        self._at_work: list[_Sent[Result]] = []

    def submit(self, piece: Piece, seconds: float | None = None) -> Awaited[Result]:
        sent: _Sent[Result] = _Sent(self, piece, seconds)
        self._waiting.append(sent)
        self._go_on()
        return sent

    def begin(self, sent: _Sent[Result]) -> None:
        """Have a process do it, if none does yet."""
        if sent in self._waiting:
            self._waiting.remove(sent)
            sent.begin(*self._given)
            self._at_work.append(sent)

    def ended(self, sent: _Sent[Result]) -> None:
        """Its process is no more: the next one may begin."""
        self._at_work.remove(sent)
        self._go_on()

    def _go_on(self) -> None:
        while self._waiting and len(self._at_work) < self._number:
            self.begin(self._waiting[0])

    def stop(self) -> None:
        self._waiting.clear()
        for sent in [*self._at_work]:
            sent.end()


class _Sent(Generic[Result]):
    """The result of a process that does a single piece of work, within so many seconds from its beginning."""

    def __init__(self, crew: _Few[Any, Result], piece: Any, seconds: float | None) -> None:
        self._crew, self._piece, self._seconds = crew, piece, seconds

    def begin(
        self, parent: int, prepare: Callable[..., Callable[[Any], Any]], shared: tuple[Any, ...]
    ) -> None:
        """Fork its process."""
        with undisturbed():
            self._receiving, sending = os.pipe()
            self._process = os.fork()
            if not self._process:
                _alone(parent, prepare, shared, self._seconds, sending, self._piece)
            os.close(sending)
        self._until = None if self._seconds is None else time.monotonic() + self._seconds

    def result(self) -> Result:
        self._crew.begin(self)
        try:
            done, found = pickle.loads(self._received())  # noqa: S301 - from a process of ours
        except (EOFError, pickle.UnpicklingError):
            raise WorkerLost from None
        finally:
            self.end()
        if not done:
            raise found
        result: Result = found
        return result

    def _received(self) -> bytes:
        parts: list[bytes] = []
        poll = select.poll()
        poll.register(self._receiving, select.POLLIN)
        while True:
            left = None if self._until is None else max(0.0, self._until - time.monotonic())
            if not poll.poll(None if left is None else 1000 * left):
                raise TimeoutError
            if not (part := os.read(self._receiving, 1 << 16)):
                return b"".join(parts)
            parts.append(part)

    def end(self) -> None:
        """End its process, whatever it is at."""
        os.kill(self._process, signal.SIGKILL)  # who has ended already is there until it is waited for
        os.waitpid(self._process, 0)
        os.close(self._receiving)
        self._crew.ended(self)


def _alone(
    parent: int,
    prepare: Callable[..., Callable[[Any], Any]],
    shared: tuple[Any, ...],
    seconds: float | None,
    sending: int,
    piece: Any,
) -> NoReturn:
    try:
        try:
            _prepare(parent, prepare, shared, seconds)
            answer = True, _do(piece)
        except BaseException as error:
            answer = False, error
        with open(sending, "wb") as out:
            out.write(pickle.dumps(answer))
    finally:
        os._exit(0)


_work: Callable[[Any], Any]


def _prepare(
    parent: int,
    prepare: Callable[..., Callable[[Any], Any]],
    shared: tuple[Any, ...],
    seconds: float | None = None,
) -> None:
    global _work  # noqa: PLW0603 - what a process is given once, and the only place for it
    be_a_worker(parent, seconds)
    _work = prepare(*shared)


def _do(piece: Any) -> Any:
    return _work(piece)
