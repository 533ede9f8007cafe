"""What Git asks of a host: whose repository it is, and what comes back with a push."""

from __future__ import annotations

import asyncio
import mmap
from collections import Counter
from collections.abc import AsyncIterator, Awaitable, Iterable
from contextlib import suppress
from typing import Literal, cast
from urllib.parse import quote

from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from muddled_orchard.commands.host.drill import HostDrill
from muddled_orchard.commands.host.git_service import (
    GitAnswer,
    GitRequest,
    NoAnswer,
    Service,
    all_of,
)
from muddled_orchard.commands.host.held import HeldFile
from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.pages import time_here
from muddled_orchard.commands.host.received import received
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.core.base.limits import in_mib
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.practice import is_practice_id
from muddled_orchard.core.course.push_feedback import push_blocks
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.shared_tasks import own_part_told
from muddled_orchard.core.document import Block, Paragraph
from muddled_orchard.core.git.packs import BadPack, TooLarge, look_through
from muddled_orchard.core.git.pkt_lines import PushRequest, push_request, refusal, server_options, with_text
from muddled_orchard.show.document.text import remote_lines
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.read.quarantine import Unreadable

_PLACE = pattern(r"/git/([^/]+)/([^/]+)\.git/(info/refs|git-upload-pack|git-receive-pack)")

_MOST_ASKED = 4 << 20
"""The most bytes of a request for objects."""

_MOST_HEAD = 1 << 20
"""The most bytes of a push that name what it updates."""

_MOST_UPDATES, _MOST_REFS = 1_000, 2_000
"""The most refs that one push may update, and that a repository may have."""

_MOST_OBJECTS, _GROWN = 20_000, 4
"""The most objects of a push, and how many times the size that it may have they may have unpacked."""

_NEARLY = 0.8
"""The part of what somebody's repositories may hold from which on they are told."""

_MOST_AT_ONCE = 8
"""How many bodies of one person are received at once."""

_PATIENCE = 4.0
"""Seconds that a push waits for its feedback."""

_HOSTS_FAULT = pattern(
    rb"No space left on device|Read-only file system|Permission denied|Disk quota exceeded|Input/output error"
)
"""What Git says of a push that it can't take for a reason that its learner can do nothing about."""

_CANT_BE_KEPT = 507

_HELP, _HELPED = "help", "helped"


class GitRequests:
    """Answers Git, for a host."""

    def __init__(self, host: Host) -> None:
        self._host, self._drill = host, HostDrill(host)
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
        opens = self._host.course.opens(exercise)
        if opens is not None and not reads and self._host.clock.now() < opens:
            raise Refused(403, f"{exercise} is not open yet. It opens on {time_here(opens)}.")
        if what == "info/refs":
            if not reads:
                await self._of_teammates(
                    hand_out, self._host.teammates.meanwhile(hand_out, cast(Service, service))
                )
            ask = GitRequest(
                who, self._place(hand_out), cast(Service, service), refs=True, protocol=_protocol(request)
            )
            return _as_git_says(await self._asked(ask))
        return await self._served(request, hand_out, who, cast(Service, service))

    async def _of_teammates(self, hand_out: HandOut, doing: Awaitable[None]) -> None:
        """Do what is to be done of teammates; if it can't be, that costs the learner nothing."""
        try:
            await doing
        except (BadInput, GitFailed, Unreadable) as why:
            self._host.troubled(f"nothing can arrive for {hand_out.learner}: {why}")

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
            body = HeldFile(self._host.held, who)
            await received(request.stream(), most, body, zipped=zipped)
        except Refused as refused:
            if refused.status == _CANT_BE_KEPT:
                self._host.troubled(f"a push of {who} could not be received: {refused.why}")
            raise
        finally:
            self._receiving[who] -= 1
        try:
            head = body.file.read(_MOST_HEAD)
            body.file.seek(0)
            ask = GitRequest(
                who, self._place(hand_out), service, refs=False, protocol=_protocol(request),
                kind=f"application/x-{service}-request", body=body.file, size=body.size,
            )  # fmt: skip
            if not pushes:
                if who != INSTRUCTOR:
                    await self._heard(who, hand_out.exercise, _options(head))
                answer = await self._asked(ask)
                if who != INSTRUCTOR:
                    await self._of_teammates(hand_out, self._host.teammates.fetched(hand_out))
                return _as_git_says(answer)
            # Whoever goes away meanwhile has pushed all the same.
            task = asyncio.create_task(self._pushed(ask, body, hand_out, head, request))
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)
            return await asyncio.shield(task)
        finally:
            if not pushes:
                body.close()

    async def _pushed(
        self, ask: GitRequest, body: HeldFile, hand_out: HandOut, head: bytes, request: Request
    ) -> Response:
        try:
            wanted = _push_of(head)
            try:
                await self._refuse_too_much(hand_out, wanted)
                await self._look_through(ask, wanted)
            except Refused as refused:
                return _refusal(wanted, refused.why)
            # A push of the same learner to the same repository waits for Git, and not for the grading.
            async with self._host.pushing(ask.place):
                answer = await self._asked(ask)
                said = await asyncio.to_thread(all_of, answer)
                if match := _HOSTS_FAULT.search(said):
                    self._host.troubled(
                        f"a push of {hand_out.learner} was refused: {match[0].decode().lower()}"
                    )
                await self._heard(hand_out.learner, hand_out.exercise, wanted.options)
                push = await self._noticed(hand_out)
                if isinstance(push, RecordedPush):
                    await self._of_teammates(hand_out, self._host.teammates.pushed(hand_out, push.refs))
                await asyncio.to_thread(self._host.disk.look, self._host.course.folder / ask.place)
        finally:
            body.close()
        lines = await self._told(hand_out, push, self._host.address(request)) if push else []
        kept, most = await self._host.kept_of(hand_out.learner), self._host.disk.most
        if lines and kept > _NEARLY * most:
            lines[-1:] = [
                f"Your repositories here hold {in_mib(kept)} of the {in_mib(most)} that they may.",
                "",
            ]
        if answer.status == 200 and lines and wanted.takes_text:
            with suppress(BadInput):  # an answer without an end, which Git itself will tell its user of
                said = with_text(said, lines)
        return Response(said, answer.status, dict(answer.headers))

    async def _refuse_too_much(self, hand_out: HandOut, wanted: PushRequest) -> None:
        """Raise Refused where a repository would hold more than anybody needs."""
        if len(wanted.refs) > _MOST_UPDATES:
            raise Refused(413, f"More than {_MOST_UPDATES:,} refs at once can't be pushed.")
        refs = self._host.desk.count_of_refs(hand_out.learner, hand_out.exercise) + len(wanted.refs)
        if refs > _MOST_REFS:
            raise Refused(413, f"More than {_MOST_REFS:,} refs can't be kept: delete some.")
        await self._host.refuse_full(hand_out.learner)

    async def _look_through(self, ask: GitRequest, wanted: PushRequest) -> None:
        """Raise Refused where a push has what nobody could read, before Git unpacks it."""
        assert ask.body is not None  # noqa: S101 - a push has one
        async with self._host.git.turns.turn(ask.who):
            why = await asyncio.to_thread(_too_large, ask.body.fileno(), wanted.pack, self._host.bounds.size)
        if why:
            raise Refused(413, f"Nothing was taken of this push: it has {why}.")

    async def _noticed(self, hand_out: HandOut) -> RecordedPush | Literal["later"] | None:
        """Write a push down; None where it changed nothing, `later` where that can't be done now."""
        learner, exercise = hand_out.learner, hand_out.exercise
        try:
            return await self._host.desk.noticed(self._host.course, learner, exercise)
        except BadInput:
            self._host.desk.later(learner, exercise)
            return "later"

    async def _told(
        self, hand_out: HandOut, push: RecordedPush | Literal["later"], address: str
    ) -> list[str]:
        """What Git shows of a push: what came of it, where that is known soon."""
        learner, exercise = hand_out.learner, hand_out.exercise
        told = self._host.course.feedback(learner, exercise, self._host.clock.now())
        page = f"{address}/exercise/{quote(exercise)}"
        count = len(self._host.desk.pushes(learner, exercise))
        if push == "later":
            return _remote(push_blocks(None, told, count + 1), page)
        assessment = await self._host.desk.graded(self._host.course, push, _PATIENCE)
        assessment = self._host.share_of(hand_out, assessment)
        first = [came.said for came in self._host.arrived(hand_out)]
        tasks = self._host.tasks_of_team(hand_out)
        first += list(own_part_told(tasks, self._host.role_of(hand_out)))
        blocks = [*map(Paragraph, first), *push_blocks(assessment, told, count)]
        if is_practice_id(exercise) and (await self._drill.telling(hand_out)).key:
            blocks.append(Paragraph("This one is over: the answer, and the next one, are on the page."))
        return _remote(blocks, page, hand=learner in self._host.hands)

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
            self._host.troubled(f"{ask.place}: {none}")
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
    return wanted


def _too_large(descriptor: int, start: int, most: int) -> str:
    """What of a push is too large, in words; nothing where nothing is. What is no pack Git refuses itself."""
    with mmap.mmap(descriptor, 0, access=mmap.ACCESS_READ) as data, memoryview(data) as whole:
        if len(whole) <= start:
            return ""  # it only deletes
        with whole[start:] as pack:
            try:
                look_through(pack, _MOST_OBJECTS, _GROWN * most)
            except TooLarge as large:
                return str(large)
            except BadPack:
                return ""
    return ""


def _refusal(wanted: PushRequest, why: str) -> Response:
    """An answer by which Git shows why nothing was taken: what an error of HTTP says it keeps to itself."""
    lines = ["", *remote_lines([Paragraph(why)]), ""]
    kind = {"Content-Type": "application/x-git-receive-pack-result", "Cache-Control": "no-cache"}
    return Response(refusal(wanted, "it is refused", lines), 200, kind)


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
    body = answer.body
    if isinstance(body, bytes):
        return Response(body, answer.status, dict(answer.headers))

    async def parts() -> AsyncIterator[bytes]:
        try:
            while part := await asyncio.to_thread(body.file.read, 1 << 16):
                yield part
        finally:
            body.close()

    return StreamingResponse(parts(), answer.status, dict(answer.headers))
