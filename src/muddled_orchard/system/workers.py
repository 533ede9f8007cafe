"""The one pool of processes: pieces of work done side by side, stopped at once when the run is."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Generic, TypeVar

from pebble import CONSTS, ProcessFuture, ProcessPool

from muddled_orchard.system.processes import be_a_worker, context, undisturbed

# How long the pool sleeps between two looks, in seconds; as it comes, its end alone would take a tenth.
CONSTS.sleep_unit = 0.01

Piece = TypeVar("Piece")
Result = TypeVar("Result")


class Workers(Generic[Piece, Result]):
    """Processes that do pieces of one kind of work. Made by `workers`."""

    def __init__(self, pool: ProcessPool) -> None:
        self._pool = pool

    def submit(self, piece: Piece, seconds: float | None = None) -> ProcessFuture[Result]:
        """Have a piece done, in at most so many seconds once it is begun.

        The future's `result` raises what the work raised, TimeoutError, or pebble's ProcessExpired where the
        process ended unexpectedly; then only this piece is lost, and another process takes its place.
        """
        return self._pool.schedule(_do, args=[piece], timeout=seconds)


@contextmanager
def workers(
    number: int, prepare: Callable[..., Callable[[Piece], Result]], *shared: Any
) -> Iterator[Workers[Piece, Result]]:
    """So many processes, each of which does its work with what `prepare(*shared)` returned in it.

    They begin here and now, and none of them is left afterwards: what is not done by then is dropped. No
    thread of this process may be running yet, since the processes are forked where that is possible.
    """
    pool = None
    try:
        with undisturbed():
            pool = ProcessPool(
                number, initializer=_prepare, initargs=(os.getpid(), prepare, shared), context=context()
            )
            pool.active  # noqa: B018 - the first question begins it
        yield Workers(pool)
    finally:
        if pool is not None:
            pool.stop()  # type: ignore[no-untyped-call]  # pebble types only a part
            pool.join()


_work: Callable[[Any], Any]


def _prepare(parent: int, prepare: Callable[..., Callable[[Any], Any]], shared: tuple[Any, ...]) -> None:
    global _work  # noqa: PLW0603 - what a process is given once, and the only place for it
    be_a_worker(parent)
    _work = prepare(*shared)


def _do(piece: Any) -> Any:
    return _work(piece)
