"""Serve a course: begin what grades, listen, keep up with what changes, and end in order."""

from __future__ import annotations

import asyncio
import os
import signal
import socket
import sys
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

import uvicorn
from msgspec import Struct

from muddled_orchard.classroom.making import taken_as_they_are
from muddled_orchard.commands.host.access import Access
from muddled_orchard.commands.host.app import application
from muddled_orchard.commands.host.clock import Clock
from muddled_orchard.commands.host.connections import Connections
from muddled_orchard.commands.host.course_source import CourseSource
from muddled_orchard.commands.host.events import News
from muddled_orchard.commands.host.git_service import GitService, http_backend
from muddled_orchard.commands.host.held import Held
from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.listening import Listening, listening_socket, speaks_tls
from muddled_orchard.commands.host.protocol import protocol_with
from muddled_orchard.commands.host.push_desk import LedgerThread, PushDesk, PushResult
from muddled_orchard.commands.host.push_grading import PushGraders, push_graders
from muddled_orchard.commands.host.repositories import DiskUse, held_alone, remove_old_locks
from muddled_orchard.commands.host.served_course import Opened, ServedCourse
from muddled_orchard.commands.host.tidying import keep_tidy
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import be, counted
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.system.log import log, reopen_log

_LOOK = 2.0
"""Seconds between two looks at what may have changed."""

_AGAIN = 5.0
"""Seconds after which what could not be graded is tried again."""

_LONGEST_HEAD = 32_768
_ENDING = 3
_GIT_AT_ONCE = 4
_HELD_OF_ALL = 4
"""How many times what may be held for one person may be held for all."""


class Saying(Struct, frozen=True):
    """What is called when there is something to say: that it listens (on a port), that a push came or was
    graded, and whatever else there is."""

    ready: Callable[[int], None]
    push: Callable[[PushResult], None]
    more: Callable[[str], None]


def serve(
    source: CourseSource,
    ledger: Path,
    listening: Listening,
    bounds: Bounds,
    jobs: int,
    saying: Saying,
) -> None:
    """Serve until the process is asked to end; the course is read from its source again whenever that has
    changed. Raises BadInput where that can't be begun."""
    http_backend()
    tls = speaks_tls(listening)
    course = source.read()
    with (
        held_alone(course.folder, ledger),
        push_graders(bounds, jobs) as graders,
        listening_socket(listening) as listener,
    ):
        serving = _Serving(source, ledger, listening, bounds, saying, tls=tls)
        asyncio.run(serving.run(course, graders, listener))


class _Serving:
    def __init__(
        self,
        source: CourseSource,
        ledger: Path,
        listening: Listening,
        bounds: Bounds,
        saying: Saying,
        *,
        tls: bool,
    ) -> None:
        self._source, self._path = source, ledger
        self._listening, self._bounds, self._saying, self._tls = listening, bounds, saying, tls

    async def run(self, course: ServedCourse, graders: PushGraders, listener: socket.socket) -> None:
        ledger = LedgerThread(self._path)
        news = News()
        try:
            clock = Clock(self._set_back)
            opened = await ledger.do(course.hand_out, clock.now())
            if opened.lying_there:
                self._saying.more(taken_as_they_are(opened.lying_there))
            self._tell_mended(opened, await ledger.do(HostLedger.forget_older_versions))
            remove_old_locks(course.folder)

            def changed(result: PushResult) -> None:
                news.tell(*host.course.sharing(result.push.learner, result.push.exercise), INSTRUCTOR)
                with suppress(OSError):  # nobody reads any more what is said
                    self._saying.push(result)

            if not sys.stdin or not sys.stdin.isatty():  # as a service; a terminal that is closed ends it
                with suppress(AttributeError, NotImplementedError):
                    asyncio.get_running_loop().add_signal_handler(signal.SIGHUP, reopen_log)
            desk = PushDesk(ledger, graders, clock, changed)
            access = Access(await ledger.do(HostLedger.passwords))
            # A clone has all that a repository may have, and a push may come meanwhile.
            largest = self._listening.most_kept + self._bounds.size
            held = Held(largest + self._bounds.size, _HELD_OF_ALL * (largest + self._bounds.size))
            at_once = _GIT_AT_ONCE * (os.cpu_count() or 1)
            git = GitService(course.folder, self._bounds, at_once, held, largest)
            host = Host(
                course=course, access=access, git=git, held=held, ledger=ledger, desk=desk, news=news,
                connections=Connections(self._listening.proxies), disk=DiskUse(self._listening.most_kept),
                bounds=self._bounds, clock=clock,
                url=self._listening.url, proxies=self._listening.proxies, say=self._saying.more,
            )  # fmt: skip
            await host.read_hands()
            await desk.open(course)
            await host.teammates.open()
            await self._listen(host, listener, news)
        finally:
            graders.end()
            ledger.close()

    async def _listen(self, host: Host, listener: socket.socket, news: News) -> None:
        certificate, key = self._listening.certificate, self._listening.key
        config = uvicorn.Config(
            application(host), http=protocol_with(host.connections), ws="none", lifespan="off",
            interface="asgi3", log_level="critical", access_log=False, server_header=False,
            proxy_headers=False, timeout_keep_alive=15, h11_max_incomplete_event_size=_LONGEST_HEAD,
            timeout_graceful_shutdown=_ENDING,
            ssl_certfile=certificate if self._tls else None, ssl_keyfile=key if self._tls else None,
        )  # fmt: skip
        server = uvicorn.Server(config)
        keeping = [
            asyncio.create_task(self._keep_up(host)),
            asyncio.create_task(_grade_rest(host)),
            asyncio.create_task(keep_tidy(host)),
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
        opened = _opened(host)
        told = ""
        while True:
            await asyncio.sleep(_LOOK)
            try:
                host.access.renew(await host.ledger.do(HostLedger.passwords))
                await host.read_hands()
                await host.ledger.do(host.course.read_allowances)
                if self._source.changed():
                    await self._read_anew(host)
                elif _opened(host) != opened:
                    await host.ledger.do(host.course.hand_out, host.clock.now())
                    host.news.tell(INSTRUCTOR, *host.course.learners)
                opened, told = _opened(host), ""
            except BadInput as bad:  # the ledger is in use, or its disk is full: it is tried again
                if str(bad) != told:
                    log().warning("the host can't keep up", exc_info=bad)
                    told = str(bad)
                    self._saying.more(told)

    async def _read_anew(self, host: Host) -> None:
        """Go by a course that was changed. Raises BadInput where that can't be done now, and is to be tried
        again."""
        try:
            fresh = await asyncio.to_thread(self._source.read)
        except BadInput as bad:
            self._saying.more(f"{bad}\nThe course is served as it was.")
            return
        try:
            fresh.take_versions(host.course)
            opened = await host.ledger.do(fresh.hand_out, host.clock.now())
        except BadInput:
            self._source.forget()
            raise
        host.course = fresh
        again = await host.ledger.do(HostLedger.forget_older_versions)
        self._tell_mended(opened, again)
        host.desk.grade_anew(again)
        self._saying.more("The course was changed, and is read anew.")
        host.news.tell(INSTRUCTOR, *fresh.learners)

    def _tell_mended(self, opened: Opened, again: Sequence[RecordedPush]) -> None:
        """Say which exercises were changed since they were handed out, and how many pushes that is about."""
        for one in opened.mended:
            self._saying.more(one.said)
        if again:
            results = counted(len(again), "earlier result")
            self._saying.more(f"{results} {be(len(again))} graded anew by that.")

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
    return frozenset(exercise.id for exercise in host.course.exercises.values() if exercise.is_open(now))
