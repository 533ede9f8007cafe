"""Work on the machines of a Dask cluster (the extra `cluster`): pieces go to its workers, and there each is
done in a process of its own, as here.

A worker that dies costs nothing but time: its pieces go to another one. Every worker must have this version
of the program, since what it finds must not hang on where it was found.
"""

from __future__ import annotations

import logging
import threading
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Generic, TypeVar

from muddled_orchard import __version__
from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import Problem
from muddled_orchard.system.apart import ProcessApart
from muddled_orchard.system.log import log
from muddled_orchard.system.workers import Awaited, ClusterUnusable, WorkerLost

Piece = TypeVar("Piece")
Result = TypeVar("Result")

_SAME_EVERYWHERE = "Install the same version everywhere, and begin these workers anew."

_PATIENCE = 10
"""How many seconds the scheduler has to answer."""

_TIDYING = 5
"""How many seconds a process has to remove its folder."""


class Cluster(Generic[Piece, Result]):
    """The workers of a cluster; `size` is how many pieces they do at once."""

    def __init__(self, client: Any, prepare: Callable[[], Callable[[Piece], Result]]) -> None:
        self._client = client
        self._run = uuid.uuid4().hex
        # It may be large, and goes to each worker once.
        self._prepare = client.scatter(prepare, broadcast=True, hash=False)
        self.size = sum(client.nthreads().values())

    def submit(self, piece: Piece, seconds: float | None = None) -> Awaited[Result]:
        """Have a piece done, in at most so many seconds once it is begun."""
        with _told():
            return _Remote(
                self._client.submit(
                    _done_there, self._run, __version__, self._prepare, piece, seconds, pure=False
                )
            )

    def close(self) -> None:
        """End the processes that were begun for this."""
        try:
            self._client.run(_ended_there, self._run)
        except Exception:  # who is gone has none
            log().info("the cluster's processes could not be ended", exc_info=True)


class _Remote(Generic[Result]):
    """A result that a worker will have."""

    def __init__(self, future: Any) -> None:
        self._future = future

    def result(self) -> Result:
        from distributed import KilledWorker

        with _told():
            try:
                found: Result = self._future.result()
            except KilledWorker:
                raise WorkerLost from None
            except OtherVersion as error:
                raise ClusterUnusable(Problem(str(error), _SAME_EVERYWHERE)) from None
            self._future.release()
            return found


@contextmanager
def cluster(
    address: str, prepare: Callable[[], Callable[[Piece], Result]]
) -> Iterator[Cluster[Piece, Result]]:
    """The cluster whose scheduler has this address.

    Raises ClusterUnusable where there is none, where it
    has no workers, and where one has another version of this program."""
    try:
        import distributed
    except ImportError:
        hint = "pip install 'muddled-orchard[cluster]' brings what is missing."
        raise ClusterUnusable(Problem("--cluster needs the package distributed", hint)) from None
    logging.disable()  # what matters is told in our words
    try:
        begin: Any = distributed.Client
        client = begin(address, timeout=_PATIENCE, set_as_default=False)
    except (OSError, ValueError, TypeError) as error:
        hint = "Is it running there? It is begun with: dask scheduler"
        what = f"there is no scheduler at {address}: {str(error).splitlines()[0][:200]}"
        raise ClusterUnusable(Problem(what, hint)) from None
    try:
        _check(client, address)
        working: Cluster[Piece, Result] = Cluster(client, prepare)
        try:
            yield working
        finally:
            working.close()
    finally:
        try:
            client.close(timeout=1)
        except Exception:  # where the scheduler is lost its own clean-up may stumble; all is done by then
            log().info("the client of the cluster could not be closed", exc_info=True)


def _check(client: Any, address: str) -> None:
    def version() -> str:  # it travels whole, and not by its name: who knows what they have there
        from importlib import metadata

        try:
            import muddled_orchard

            return str(muddled_orchard.__version__)
        except ImportError:
            return ""
        except AttributeError:
            return metadata.version("muddled-orchard")

    with _told():
        found = client.run(version)
    if not found:
        hint = "Begin some, on each machine: dask worker ADDRESS"
        raise ClusterUnusable(Problem(f"the cluster at {address} has no workers", hint))
    others = {worker: has for worker, has in found.items() if has != __version__}
    if others:
        said = listed([f"{worker} has {has or 'none'}" for worker, has in sorted(others.items())], 3)
        raise ClusterUnusable(Problem(f"this is muddled {__version__}, and {said}", _SAME_EVERYWHERE))


@contextmanager
def _told() -> Iterator[None]:
    """What the cluster complains about, as BadInput."""
    from distributed.client import FutureCancelledError
    from distributed.comm.core import CommClosedError

    try:
        yield
    except (CommClosedError, FutureCancelledError, ConnectionError) as error:
        what = f"the cluster was lost: {str(error).splitlines()[0][:200] if str(error) else 'no answer'}"
        hint = "What is in the ledger stays; the same command goes on from there, also without --cluster."
        raise ClusterUnusable(Problem(what, hint)) from None


# -- In a worker of the cluster -----------------------------------------------------------------------------

_idle: dict[str, list[ProcessApart[Any, Any]]] = {}
_lock = threading.Lock()


class OtherVersion(Exception):
    """A worker has another version of the program."""


def _done_there(
    run: str,
    version: str,
    prepare: Callable[[], Callable[[Any], Any]],
    piece: Any,
    seconds: float | None,
) -> Any:
    """Do a piece in a process of its own, one of those that this worker has begun for the run."""
    if version != __version__:  # it came later
        raise OtherVersion(f"this is muddled {version}, and a worker has {__version__}")
    with _lock:
        waiting = _idle.setdefault(run, [])
        process = waiting.pop() if waiting else ProcessApart(prepare)
    try:
        return process.do(piece, seconds)
    finally:
        with _lock:
            if run in _idle:
                _idle[run].append(process)
            else:
                process.end()


def _ended_there(run: str) -> None:
    with _lock:
        processes = _idle.pop(run, [])
    for process in processes:
        process.end(_TIDYING)
