"""Serve a course: begin what grades, listen, keep up with what changes, and end in order."""

from __future__ import annotations

import asyncio
import os
import socket
import ssl
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import timedelta
from pathlib import Path
from typing import Any

import h11
import uvicorn
from msgspec import Struct
from uvicorn.protocols.http.h11_impl import H11Protocol

from muddled_orchard.classroom.hosting.access import Access
from muddled_orchard.classroom.hosting.app import Host
from muddled_orchard.classroom.hosting.clock import Clock
from muddled_orchard.classroom.hosting.events import News
from muddled_orchard.classroom.hosting.git_service import GitService, http_backend
from muddled_orchard.classroom.hosting.listening import Listening
from muddled_orchard.classroom.hosting.push_desk import LedgerThread, PushDesk, PushResult
from muddled_orchard.classroom.hosting.push_grading import PushGraders, push_graders
from muddled_orchard.classroom.hosting.served_course import ServedCourse
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.files.course.host_ledger import HostLedger

try:
    import fcntl
except ImportError:  # a system without such locks: two hosts at once are not noticed there
    fcntl = None  # type: ignore[assignment]  # Windows has none

_LOOK = 2.0
"""Seconds between two looks at what may have changed."""

_AGAIN = 5.0
"""Seconds after which what could not be graded is tried again."""

_HEADERS_WITHIN = 30.0
_LONGEST_HEAD = 32_768
_ENDING = 3
_MOST_CONNECTIONS = 2_000
_LOCK_IS_OLD = 600.0
_GIT_AT_ONCE = 4


class Saying(Struct, frozen=True):
    """What is called when there is something to say: that it listens (on a port), that a push came or was
    graded, and whatever else there is."""

    ready: Callable[[int], None]
    push: Callable[[PushResult], None]
    more: Callable[[str], None]


def serve(
    read: Callable[[], ServedCourse],
    watched: Callable[[], Sequence[Path]],
    ledger: Path,
    listening: Listening,
    bounds: Bounds,
    jobs: int,
    saying: Saying,
) -> None:
    """Serve until the process is asked to end. `read` reads the course, again whenever one of the `watched`
    files has changed. Raises BadInput where that can't be begun."""
    http_backend()
    tls = _tls(listening)
    course = read()
    with _alone(course.folder), push_graders(bounds, jobs) as graders, _socket(listening) as listener:
        serving = _Serving(read, watched, ledger, listening, bounds, saying, tls)
        asyncio.run(serving.run(course, graders, listener))


class _Serving:
    def __init__(
        self,
        read: Callable[[], ServedCourse],
        watched: Callable[[], Sequence[Path]],
        ledger: Path,
        listening: Listening,
        bounds: Bounds,
        saying: Saying,
        tls: bool,
    ) -> None:
        self._read, self._watched, self._path = read, watched, ledger
        self._listening, self._bounds, self._saying, self._tls = listening, bounds, saying, tls

    async def run(self, course: ServedCourse, graders: PushGraders, listener: socket.socket) -> None:
        ledger = LedgerThread(self._path)
        news = News()
        try:
            clock = Clock(self._set_back)
            await ledger.do(course.hand_out, clock.now())
            _remove_old_locks(course.folder)

            def changed(result: PushResult) -> None:
                news.tell(result.push.learner, INSTRUCTOR)
                self._saying.push(result)

            desk = PushDesk(ledger, graders, clock, changed)
            access = Access(await ledger.do(HostLedger.passwords))
            git = GitService(course.folder, self._bounds, _GIT_AT_ONCE * (os.cpu_count() or 1))
            host = Host(course, access, git, ledger, desk, news, self._bounds, clock, self._listening.url)
            await host.read_hands()
            await desk.open(course)
            await self._listen(host, listener, news)
        finally:
            graders.end()
            ledger.close()

    async def _listen(self, host: Host, listener: socket.socket, news: News) -> None:
        certificate, key = self._listening.certificate, self._listening.key
        config = uvicorn.Config(
            host.app(), http=_Protocol, ws="none", lifespan="off", interface="asgi3", log_level="critical",
            access_log=False, server_header=False, proxy_headers=False, limit_concurrency=_MOST_CONNECTIONS,
            timeout_keep_alive=15, h11_max_incomplete_event_size=_LONGEST_HEAD,
            timeout_graceful_shutdown=_ENDING,
            ssl_certfile=certificate if self._tls else None, ssl_keyfile=key if self._tls else None,
        )  # fmt: skip
        server = uvicorn.Server(config)
        keeping = [
            asyncio.create_task(self._keep_up(host)),
            asyncio.create_task(_grade_rest(host)),
            asyncio.create_task(_end_with(server, news)),
        ]
        self._saying.ready(listener.getsockname()[1])
        try:
            await server.serve(sockets=[listener])
        finally:
            news.end()
            for task in keeping:
                task.cancel()
            await asyncio.gather(*keeping, return_exceptions=True)

    async def _keep_up(self, host: Host) -> None:
        """Go by the course, the passwords and the hands as they are now."""
        seen = _stamps(self._watched())
        opened = _opened(host)
        told = ""
        while True:
            await asyncio.sleep(_LOOK)
            try:
                host.access.renew(await host.ledger.do(HostLedger.passwords))
                await host.read_hands()
                stamps = _stamps(self._watched())
                if stamps != seen:
                    seen = stamps
                    await self._read_anew(host)
                elif _opened(host) != opened:
                    await host.ledger.do(host.course.hand_out, host.clock.now())
                    host.news.tell(INSTRUCTOR, *host.course.learners)
                opened, told = _opened(host), ""
            except BadInput as bad:  # the ledger is in use, or its disk is full: it is tried again
                if str(bad) != told:
                    told = str(bad)
                    self._saying.more(told)

    async def _read_anew(self, host: Host) -> None:
        try:
            fresh = await asyncio.to_thread(self._read)
        except BadInput as bad:
            self._saying.more(f"{bad}\nThe course is served as it was.")
            return
        await host.ledger.do(fresh.hand_out, host.clock.now())
        host.course = fresh
        self._saying.more("The course was changed, and is read anew.")
        host.news.tell(INSTRUCTOR, *fresh.learners)

    def _set_back(self, by: timedelta) -> None:
        minutes = round(by.total_seconds() / 60)
        self._saying.more(
            f"The clock of this machine was set back by {minutes} min. What has opened stays open, and the\n"
            "time stands still here until the clock has caught up."
        )


async def _grade_rest(host: Host) -> None:
    while True:
        with suppress(BadInput):
            await host.desk.grade_rest(host.course)
        await asyncio.sleep(_AGAIN)


async def _end_with(server: uvicorn.Server, news: News) -> None:
    """Pages that wait for news would hold up the end."""
    while not server.should_exit:
        await asyncio.sleep(0.1)
    news.end()


def _opened(host: Host) -> frozenset[str]:
    now = host.clock.now()
    return frozenset(one.id for one in host.course.exercises.values() if one.is_open(now))


def _stamps(paths: Sequence[Path]) -> dict[Path, tuple[int, int]]:
    found = {}
    for path in paths:
        with suppress(OSError):
            about = path.stat()
            found[path] = (about.st_mtime_ns, about.st_size)
    return found


# -- What it stands on ------------------------------------------------------------------------------------


class _Protocol(H11Protocol):
    """HTTP/1.1 as uvicorn has it, with a bound on the time that the head of a request may take."""

    _waiting: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is h11.IDLE:
            self._wait()
        elif self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None

    def connection_lost(self, exc: Exception | None) -> None:
        if self._waiting is not None:
            self._waiting.cancel()
        super().connection_lost(exc)

    def _wait(self) -> None:
        if self._waiting is None:
            self._waiting = self.loop.call_later(_HEADERS_WITHIN, self.transport.abort)


@contextmanager
def _socket(listening: Listening) -> Iterator[socket.socket]:
    where = f"{listening.address}:{listening.port}"
    try:
        family = socket.AF_INET6 if ":" in listening.address else socket.AF_INET
        found = socket.create_server(
            (listening.address, listening.port), family=family, backlog=_MOST_CONNECTIONS
        )
    except OSError as error:
        taken = "Another program listens there already: name another --port."
        hint = taken if "in use" in str(error) else "Name another --address or --port."
        raise BadInput(Problem(f"{where} can't be listened on: {error.strerror or error}", hint)) from None
    with found:
        yield found


@contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """Hold the folder of the repositories, for this host alone."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = (folder / ".host.lock").open("wb")
    except OSError as error:
        raise BadInput(Problem(f"can't be written: {error.strerror}", file=str(folder))) from None
    with lock:
        if fcntl is not None:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                hint = "End it, or name another folder with --repositories."
                raise BadInput(
                    Problem("another host serves these repositories", hint, file=str(folder))
                ) from None
        yield


def _tls(listening: Listening) -> bool:
    """Whether TLS is spoken. Raises BadInput where the certificate can't be used."""
    if listening.certificate is None:
        if listening.key is not None:
            raise BadInput(Problem("--key without --certificate", "Name both."))
        return False
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)

    def no_password() -> str:
        raise ValueError("the key has a password")

    try:
        context.load_cert_chain(listening.certificate, listening.key, no_password)
    except (OSError, ValueError) as error:
        reason = getattr(error, "reason", None) or getattr(error, "strerror", None) or str(error)
        hint = "It is a PEM file, its chain in it, with the key in it or in --key FILE, without a password."
        what = f"the certificate can't be used: {str(reason).lower().replace('_', ' ')}"
        raise BadInput(Problem(what, hint, file=str(listening.certificate))) from None
    return True


def _remove_old_locks(folder: Path) -> None:
    """Remove locks of refs that a Git left which was killed with the machine; others are in use."""
    for lock in folder.glob("*/*.git/**/*.lock"):
        with suppress(OSError):
            if time.time() - lock.stat().st_mtime > _LOCK_IS_OLD:
                lock.unlink()
