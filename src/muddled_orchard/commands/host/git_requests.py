"""What Git asks of a host: whose repository it is, and what comes back with a push."""

from __future__ import annotations

import asyncio
import re
from collections import Counter
from collections.abc import AsyncIterator, Iterable
from contextlib import suppress
from typing import cast
from urllib.parse import quote

from starlette.background import BackgroundTask
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from muddled_orchard.commands.host.git_service import GitAnswer, GitRequest, NoAnswer, Service
from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.pages import time_here
from muddled_orchard.commands.host.received import Refused, received
from muddled_orchard.commands.host.repositories import size_below
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.push_feedback import push_blocks
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.document import Block
from muddled_orchard.core.git.pkt_lines import PushRequest, push_request, server_options, with_text
from muddled_orchard.show.document.text import remote_lines

_PLACE = re.compile(r"/git/([^/]+)/([^/]+)\.git/(info/refs|git-upload-pack|git-receive-pack)")

_MOST_ASKED = 4 << 20
"""The most bytes of a request for objects."""

_MOST_HEAD = 1 << 20
"""The most bytes of a push that name what it updates."""

_MOST_UPDATES, _MOST_REFS = 1_000, 2_000
"""The most refs that one push may update, and that a repository may have."""

_MOST_PUSHES = 4
"""How many pushes of the largest size a repository may hold."""

_MOST_AT_ONCE = 8
"""How many bodies of one person are received at once."""

_PATIENCE = 5.0
"""Seconds that a push waits for its feedback."""

_HELP, _HELPED = "help", "helped"


class GitRequests:
    """Answers Git, for a host."""

    def __init__(self, host: Host) -> None:
        self._host = host
        self._pushing: dict[str, asyncio.Lock] = {}
        self._receiving: Counter[str] = Counter()
        self._tasks: set[asyncio.Task[Response]] = set()

    async def answer(self, request: Request, who: str) -> Response:
        """What Git is answered that somebody has asked with. Raises Refused."""
        match = _PLACE.fullmatch(request.scope["path"])
        if match is None:
            raise Refused(
                404, "There is nothing here. Repositories are cloned by git clone, over smart HTTP."
            )
        learner, exercise, what = match.groups()
        service = request.query_params.get("service", "") if what == "info/refs" else what
        if service not in ("git-upload-pack", "git-receive-pack"):
            raise Refused(403, "Only Git's smart HTTP is spoken here: use Git 1.6.6 or newer.")
        if (request.method == "GET") != (what == "info/refs"):
            raise Refused(405, "This is not how Git asks for it.")
        reads = who == INSTRUCTOR and service == "git-upload-pack"
        hand_out = self._host.course.given(learner, exercise) if reads or learner == who else None
        if hand_out is None:
            raise Refused(404, f"You have no repository {exercise} here; you are signed in as {who}.")
        opens = self._host.course.exercises[exercise].rules.opens
        if opens is not None and not reads and self._host.clock.now() < opens:
            raise Refused(403, f"{exercise} is not open yet. It opens on {time_here(opens)}.")
        if what == "info/refs":
            ask = GitRequest(
                self._place(hand_out), cast(Service, service), refs=True, protocol=_protocol(request)
            )
            return _as_git_says(await self._asked(ask))
        return await self._served(request, hand_out, who, cast(Service, service))

    async def _served(self, request: Request, hand_out: HandOut, who: str, service: Service) -> Response:
        if request.headers.get("content-type") != f"application/x-{service}-request":
            raise Refused(415, "This is not how Git asks for it.")
        pushes = service == "git-receive-pack"
        most = self._host.bounds.size if pushes else _MOST_ASKED
        zipped = request.headers.get("content-encoding") in ("gzip", "x-gzip")
        if self._receiving[who] >= _MOST_AT_ONCE:
            raise Refused(429, "You have sent too much at once; try again when that is done.")
        self._receiving[who] += 1
        try:
            body, size = await received(request.stream(), most, zipped=zipped)
        finally:
            self._receiving[who] -= 1
        try:
            head = body.read(_MOST_HEAD)
            body.seek(0)
            ask = GitRequest(
                self._place(hand_out), service, refs=False, protocol=_protocol(request),
                kind=f"application/x-{service}-request", body=body, size=size,
            )  # fmt: skip
            if not pushes:
                if who != INSTRUCTOR:
                    await self._heard(who, hand_out.exercise, _options(head))
                return _as_git_says(await self._asked(ask))
            # Whoever goes away meanwhile has pushed all the same.
            task = asyncio.create_task(self._pushed(ask, hand_out, head, request))
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)
            return await asyncio.shield(task)
        finally:
            if not pushes:
                body.close()

    async def _pushed(self, ask: GitRequest, hand_out: HandOut, head: bytes, request: Request) -> Response:
        place = self._place(hand_out)
        try:
            wanted = _push_of(head)
            await self._refuse_too_much(hand_out, wanted)
            async with self._pushing.setdefault(place, asyncio.Lock()):
                answer = await self._asked(ask)
                said = answer.body.read()
                answer.body.close()
                lines = await self._noticed(hand_out, wanted, self._host.address(request))
        finally:
            if ask.body is not None:
                ask.body.close()
        if answer.status == 200 and lines and wanted.takes_text:
            with suppress(BadInput):  # an answer without an end, which Git itself will tell its user of
                said = with_text(said, lines)
        return Response(said, answer.status, dict(answer.headers))

    async def _refuse_too_much(self, hand_out: HandOut, wanted: PushRequest) -> None:
        """Raise Refused where a repository would hold more than anybody needs."""
        refs = self._host.desk.count_of_refs(hand_out.learner, hand_out.exercise) + len(wanted.refs)
        if refs > _MOST_REFS:
            raise Refused(413, f"More than {_MOST_REFS:,} refs can't be kept: delete some.")
        folder = self._host.course.folder / self._place(hand_out)
        if await asyncio.to_thread(size_below, folder) > _MOST_PUSHES * self._host.bounds.size:
            raise Refused(507, "Your repository here is full: tell your instructor.")

    async def _noticed(self, hand_out: HandOut, wanted: PushRequest, address: str) -> list[str]:
        """Write a push down, and say what came of it; nothing where it changed nothing."""
        learner, exercise = hand_out.learner, hand_out.exercise
        await self._heard(learner, exercise, wanted.options)
        told = self._host.course.feedback(exercise, self._host.clock.now())
        page = f"{address}/exercise/{quote(exercise)}"
        try:
            push = await self._host.desk.noticed(self._host.course, learner, exercise)
        except BadInput:
            self._host.desk.later(learner, exercise)
            count = len(self._host.desk.pushes(learner, exercise)) + 1
            return _remote(push_blocks(None, told, count), page)
        if push is None:
            return []
        count = len(self._host.desk.pushes(learner, exercise))
        assessment = await self._host.desk.graded(self._host.course, push, _PATIENCE)
        return _remote(push_blocks(assessment, told, count), page, hand=learner in self._host.hands)

    async def _heard(self, learner: str, exercise: str, options: tuple[str, ...]) -> None:
        """Raise or lower a hand, as the options of a push or a fetch ask."""
        try:
            if _HELP in options:
                await self._host.raise_hand(learner, exercise)
            elif _HELPED in options:
                await self._host.lower_hand(learner)
        except BadInput:
            return  # the ledger is in use: neither push nor fetch must fail by that

    async def _asked(self, ask: GitRequest) -> GitAnswer:
        try:
            return await self._host.git.answer(ask)
        except NoAnswer as none:
            raise Refused(503, f"{none}. Try again, and tell your instructor if it stays so.") from None

    def _place(self, hand_out: HandOut) -> str:
        return self._host.course.place(hand_out.learner, hand_out.exercise)


def _protocol(request: Request) -> str:
    return request.headers.get("git-protocol", "")


def _push_of(head: bytes) -> PushRequest:
    try:
        wanted = push_request(head)
    except BadInput:
        raise Refused(400, "This is not how Git pushes, or it pushes more refs than anybody needs.") from None
    if len(wanted.refs) > _MOST_UPDATES:
        raise Refused(413, f"More than {_MOST_UPDATES:,} refs at once can't be pushed.")
    return wanted


def _remote(blocks: Iterable[Block], page: str, *, hand: bool = False) -> list[str]:
    """What Git shows after a push: what is told of it, whether a hand is raised, and where there is more."""
    raised = ["Your hand is raised: your instructor sees it."] if hand else []
    return ["", *remote_lines(blocks), *raised, f"More: {page}", ""]


def _options(head: bytes) -> tuple[str, ...]:
    try:
        return server_options(head)
    except BadInput:
        return ()  # an older protocol, which has none


def _as_git_says(answer: GitAnswer) -> Response:
    async def parts() -> AsyncIterator[bytes]:
        while part := answer.body.read(1 << 16):
            yield part

    close = BackgroundTask(answer.body.close)
    return StreamingResponse(parts(), answer.status, dict(answer.headers), background=close)
