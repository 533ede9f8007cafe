"""The host as an application of ASGI: Git for learners, their pages, and the board for the instructor."""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import re
import secrets
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import suppress
from datetime import UTC, datetime
from typing import cast
from urllib.parse import parse_qsl, quote

from starlette.applications import Starlette
from starlette.background import BackgroundTask
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response, StreamingResponse
from starlette.routing import Route

from muddled_orchard.classroom.hosting.access import Access, TooManyGuesses
from muddled_orchard.classroom.hosting.clock import Clock
from muddled_orchard.classroom.hosting.events import News, TooManyPages
from muddled_orchard.classroom.hosting.git_service import GitAnswer, GitRequest, GitService, NoAnswer, Service
from muddled_orchard.classroom.hosting.push_desk import LedgerThread, PushDesk, PushResult, seconds
from muddled_orchard.classroom.hosting.received import Refused, received
from muddled_orchard.classroom.hosting.served_course import ServedCourse, ServedExercise
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.board import Board, Seen, board, seen_of_pushes
from muddled_orchard.core.course.document import Block, Paragraph
from muddled_orchard.core.course.feedback import Telling, work_blocks
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.plan import Feedback
from muddled_orchard.core.course.push_feedback import push_lines
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.git.pkt_lines import PushRequest, push_request, server_options, with_text
from muddled_orchard.core.grading.summary import SAID, standing
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.reports.pages import host as pages

_PLACE = re.compile(r"/git/([^/]+)/([^/]+)\.git/(info/refs|git-upload-pack|git-receive-pack)")
_HOST = re.compile(r"[A-Za-z0-9.-]{1,253}(:\d{1,5})?|\[[0-9a-fA-F:]{2,45}\](:\d{1,5})?")

_MOST_ASKED = 4 << 20
"""The most bytes of a request for objects."""

_MOST_HEAD = 1 << 20
"""The most bytes of a push that name what it updates."""

_MOST_UPDATES = 1_000
_PATIENCE = 5.0
"""Seconds that a push waits for its feedback."""

_HELP, _HELPED = "help", "helped"

_POLICY = (
    "default-src 'none'; style-src 'self'; style-src-attr 'unsafe-inline'; script-src 'self';"
    " connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
_HEADERS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cache-Control": "no-store",
}
_TELLING: dict[Feedback, Telling] = {
    "hints": Telling(points=False),
    "criteria": Telling(),
    "full": Telling(key=True),
}
_INSTRUCTORS = Telling(key=True, left="what was left")


class Host:
    """A course that is served: what of it may change while it runs, and what stays."""

    def __init__(
        self,
        course: ServedCourse,
        access: Access,
        git: GitService,
        ledger: LedgerThread,
        desk: PushDesk,
        news: News,
        bounds: Bounds,
        clock: Clock,
        url: str | None = None,
    ) -> None:
        self.course, self.access, self.git = course, access, git
        self.ledger, self.desk, self.news = ledger, desk, news
        self.bounds, self.clock, self.url = bounds, clock, url
        self.hands: dict[str, float] = {}
        self._key = secrets.token_bytes(32)
        self._pushing: dict[str, asyncio.Lock] = {}

    def app(self) -> Starlette:
        """The application."""
        pages_of = [
            ("/", self._home, ["GET"]),
            ("/exercise/{exercise}", self._exercise, ["GET"]),
            ("/archive/{exercise}.tar.gz", self._archive, ["GET"]),
            ("/hand", self._hand, ["POST"]),
            ("/events", self._events, ["GET"]),
            ("/board", self._board, ["GET"]),
            ("/board/{learner}/{exercise}", self._row, ["GET"]),
        ]
        routes = [Route(path, self._for_somebody(answer), methods=ways) for path, answer, ways in pages_of]
        routes.append(Route("/static/{name}", _static, methods=["GET"]))
        routes.append(Route("/git/{rest:path}", self._git, methods=["GET", "POST"]))
        return Starlette(routes=routes)

    # -- Who asks -------------------------------------------------------------------------------------

    async def _who(self, request: Request) -> str | Response:
        """Who asks, or the answer to somebody who has not said it."""
        address = request.client.host if request.client else ""
        try:
            who = await self.access.who(request.headers.get("authorization"), address)
        except TooManyGuesses:
            text = "Too many wrong passwords at once; wait a little."
            return PlainTextResponse(f"{text}\n", 429, {**_HEADERS, "Retry-After": "10"})
        if who is None:
            said = "Sign in with your id and the password on your slip.\n"
            headers = {**_HEADERS, "WWW-Authenticate": 'Basic realm="Muddled Orchard", charset="UTF-8"'}
            return PlainTextResponse(said, 401, headers)
        return who

    def _for_somebody(
        self, answer: Callable[[Request, str], Awaitable[Response]]
    ) -> Callable[[Request], Awaitable[Response]]:
        async def answered(request: Request) -> Response:
            who = await self._who(request)
            if isinstance(who, Response):
                return who
            try:
                found = await answer(request, who)
            except Refused as refused:
                found = HTMLResponse(pages.message_page("That did not work", refused.why), refused.status)
            except BadInput as bad:  # the ledger, which somebody else is at work with
                found = HTMLResponse(pages.message_page("That did not work", str(bad)), 503)
            found.headers.update({**_HEADERS, **found.headers})
            return found

        return answered

    def _token(self, who: str) -> str:
        """What a form has that came from a page of ours, and no other."""
        return hmac.new(self._key, who.encode(), hashlib.sha256).hexdigest()

    def address(self, request: Request) -> str:
        """Where the host is, as the one who asks sees it, without a slash at its end."""
        if self.url:
            return self.url.rstrip("/")
        named = request.headers.get("host", "")
        where = named if _HOST.fullmatch(named) else "127.0.0.1"
        return f"{request.url.scheme}://{where}"

    # -- Git ------------------------------------------------------------------------------------------

    async def _git(self, request: Request) -> Response:
        who = await self._who(request)
        if isinstance(who, Response):
            return who
        try:
            return await self._git_for(request, who)
        except Refused as refused:
            # What is plain text Git shows its user.
            return PlainTextResponse(f"{refused.why}\n", refused.status, _HEADERS)

    async def _git_for(self, request: Request, who: str) -> Response:
        found = _PLACE.fullmatch(request.scope["path"])
        if found is None:
            raise Refused(
                404, "There is nothing here. Repositories are cloned by git clone, over smart HTTP."
            )
        learner, exercise, what = found.groups()
        service = request.query_params.get("service", "") if what == "info/refs" else what
        if service not in ("git-upload-pack", "git-receive-pack"):
            raise Refused(403, "Only Git's smart HTTP is spoken here: use Git 1.6.6 or newer.")
        if (request.method == "GET") != (what == "info/refs"):
            raise Refused(405, "This is not how Git asks for it.")
        reads = who == INSTRUCTOR and service == "git-upload-pack"
        given = self.course.given(learner, exercise) if reads or learner == who else None
        if given is None:
            raise Refused(404, f"You have no repository {exercise} here; you are signed in as {who}.")
        opens = self.course.exercises[exercise].rules.opens
        if opens is not None and not reads and self.clock.now() < opens:
            raise Refused(403, f"{exercise} is not open yet. It opens on {_time(opens)}.")
        if what == "info/refs":
            ask = GitRequest(
                self._place(given), cast(Service, service), refs=True, protocol=_protocol(request)
            )
            return _as_git_says(await self._asked(ask))
        return await self._served(request, given, who, cast(Service, service))

    async def _served(self, request: Request, given: HandOut, who: str, service: Service) -> Response:
        if request.headers.get("content-type") != f"application/x-{service}-request":
            raise Refused(415, "This is not how Git asks for it.")
        pushes = service == "git-receive-pack"
        most = self.bounds.size if pushes else _MOST_ASKED
        zipped = request.headers.get("content-encoding") in ("gzip", "x-gzip")
        body, size = await received(request.stream(), most, zipped=zipped)
        try:
            head = body.read(_MOST_HEAD)
            body.seek(0)
            ask = GitRequest(
                self._place(given), service, refs=False, protocol=_protocol(request),
                kind=f"application/x-{service}-request", body=body, size=size,
            )  # fmt: skip
            if not pushes:
                if who != INSTRUCTOR:
                    await self._heard(who, given.exercise, _options(head))
                return _as_git_says(await self._asked(ask))
            # Whoever goes away meanwhile has pushed all the same.
            return await asyncio.shield(asyncio.create_task(self._pushed(ask, given, head, request)))
        finally:
            if not pushes:
                body.close()

    async def _pushed(self, ask: GitRequest, given: HandOut, head: bytes, request: Request) -> Response:
        wanted = _push_of(head)
        place = self._place(given)
        try:
            async with self._pushing.setdefault(place, asyncio.Lock()):
                answer = await self._asked(ask)
                said = answer.body.read()
                answer.body.close()
                lines = await self._noticed(given, wanted, self.address(request))
        finally:
            if ask.body is not None:
                ask.body.close()
        if answer.status == 200 and lines and wanted.takes_text:
            with suppress(BadInput):  # an answer without an end, which Git itself will tell its user of
                said = with_text(said, lines)
        return Response(said, answer.status, dict(answer.headers))

    async def _noticed(self, given: HandOut, wanted: PushRequest, address: str) -> list[str]:
        """Write a push down, and say what came of it; nothing where it changed nothing."""
        learner, exercise = given.learner, given.exercise
        await self._heard(learner, exercise, wanted.options)
        told = self.course.feedback(exercise, self.clock.now())
        page = f"{address}/exercise/{quote(exercise)}"
        try:
            push = await self.desk.noticed(self.course, learner, exercise)
        except BadInput:
            self.desk.later(learner, exercise)
            return push_lines(None, told, len(self.desk.pushes(learner, exercise)) + 1, page)
        if push is None:
            return []
        count = len(self.desk.pushes(learner, exercise))
        found = await self.desk.graded(self.course, push, _PATIENCE)
        return push_lines(found, told, count, page, hand=learner in self.hands)

    async def _heard(self, learner: str, exercise: str, options: tuple[str, ...]) -> None:
        """Raise or lower a hand, as the options of a push or a fetch ask."""
        try:
            if _HELP in options:
                await self.raise_hand(learner, exercise)
            elif _HELPED in options:
                await self.lower_hand(learner)
        except BadInput:
            return  # the ledger is in use: neither push nor fetch must fail by that

    async def _asked(self, ask: GitRequest) -> GitAnswer:
        try:
            return await self.git.answer(ask)
        except NoAnswer as none:
            raise Refused(503, f"{none}. Try again, and tell your instructor if it stays so.") from None

    def _place(self, given: HandOut) -> str:
        return self.course.place(given.learner, given.exercise)

    # -- Hands ----------------------------------------------------------------------------------------

    async def read_hands(self) -> None:
        """Go by the raised hands that are written down."""
        self.hands = {one.learner: seconds(one.raised) for one in await self.ledger.do(HostLedger.hands)}

    async def raise_hand(self, learner: str, exercise: str) -> None:
        """A learner wants help."""
        await self.ledger.do(HostLedger.raise_hand, learner, exercise)
        await self.read_hands()
        self.news.tell(learner, INSTRUCTOR)

    async def lower_hand(self, learner: str) -> None:
        """A learner no longer wants help."""
        await self.ledger.do(HostLedger.lower_hand, learner)
        await self.read_hands()
        self.news.tell(learner, INSTRUCTOR)

    async def _hand(self, request: Request, who: str) -> Response:
        form = await _form(request)
        if not hmac.compare_digest(form.get("token", ""), self._token(who)):
            raise Refused(403, "This form is not of a page here; go back and load the page anew.")
        learner = form.get("learner", "") if who == INSTRUCTOR else who
        if learner not in self.course.learners:
            raise Refused(404, "There is no such learner.")
        exercise = form.get("exercise", "")
        if form.get("raised") == "yes":
            await self.raise_hand(learner, exercise if exercise in self.course.exercises else "")
        else:
            await self.lower_hand(learner)
        back = "/board" if who == INSTRUCTOR else f"/exercise/{quote(exercise)}" if exercise else "/"
        return RedirectResponse(back, 303)

    # -- Pages ----------------------------------------------------------------------------------------

    async def _home(self, _: Request, who: str) -> Response:
        if who == INSTRUCTOR:
            return RedirectResponse("/board", 303)
        now = self.clock.now()
        shown = [self._listed(one, who, now) for one in self.course.exercises.values()]
        points = any(self.course.feedback(id_, now) in ("criteria", "full") for id_ in self.course.exercises)
        name = self.course.learners[who].name if who in self.course.learners else who
        about = (self.course.plan.title, name, shown, self._token(who))
        return HTMLResponse(pages.learner_page(*about, hand=who in self.hands, points=points))

    def _listed(self, one: ServedExercise, who: str, now: datetime) -> pages.ExerciseShown:
        opened = one.is_open(now) and self.course.given(who, one.id) is not None
        seen = self._seen(who, one.id) if opened else None
        told = self.course.feedback(one.id, now)
        due = f"{_time(one.rules.due)}" if one.rules.due else ""
        if not opened:
            due = f"opens {_time(one.rules.opens)}" if one.rules.opens else ""
        if told == "none" and seen is not None and seen.pushes:
            seen = Seen(exercise=one.id, title=one.title, stage="not pushed", pushes=seen.pushes)
        return pages.ExerciseShown(one.id, one.title, opened, seen, due)

    async def _exercise(self, request: Request, who: str) -> Response:
        one, given = self._opened(request, who)
        brief, push = await asyncio.to_thread(self.course.brief, given)
        now = self.clock.now()
        scheme, _, where = self.address(request).partition("://")
        url = f"{scheme}://{quote(who)}@{where}/git/{quote(who)}/{one.id}.git"
        shown = pages.ExercisePage(
            course=self.course.plan.title,
            id=one.id,
            title=one.title,
            brief=brief,
            due=_time(one.rules.due) if one.rules.due else "",
            lacks=one.lacks,
            clone=self.course.clone(given, url),
            push=push,
            deletes=self.course.deletes(given),
            pushes=self._shown(who, one.id, _TELLING.get(self.course.feedback(one.id, now))),
            hand=who in self.hands,
            token=self._token(who),
        )
        return HTMLResponse(pages.exercise_page(shown))

    async def _archive(self, request: Request, who: str) -> Response:
        one, given = self._opened(request, who)
        url = f"{self.address(request)}/git/{quote(who)}/{one.id}.git"
        scheme, _, where = url.partition("://")
        data = await asyncio.to_thread(self.course.archive, given, f"{scheme}://{quote(who)}@{where}")
        headers = {"Content-Disposition": f'attachment; filename="{one.id}.tar.gz"'}
        return Response(data, 200, headers, "application/gzip")

    def _opened(self, request: Request, who: str) -> tuple[ServedExercise, HandOut]:
        """The exercise of a page that is open to its learner. Raises Refused."""
        one = self.course.exercises.get(request.path_params["exercise"])
        given = self.course.given(who, one.id) if one is not None else None
        if one is None or given is None or not one.is_open(self.clock.now()):
            raise Refused(404, "You have no such exercise, or it is not open yet.")
        return one, given

    async def _events(self, _: Request, who: str) -> Response:
        try:
            stream: AsyncIterator[bytes] = self.news.of(who)
        except TooManyPages:
            raise Refused(429, "Too many pages are open.") from None
        return StreamingResponse(stream, media_type="text/event-stream")

    async def _board(self, _: Request, who: str) -> Response:
        if who != INSTRUCTOR:
            raise Refused(404, "There is nothing here for you.")
        title, now = self.course.plan.title, self.clock.now().astimezone()
        shown = self.board()
        return HTMLResponse(pages.board_page(title, shown, now, self._token(who)))

    async def _row(self, request: Request, who: str) -> Response:
        learner, exercise = request.path_params["learner"], request.path_params["exercise"]
        if who != INSTRUCTOR or self.course.given(learner, exercise) is None:
            raise Refused(404, "There is nothing here for you.")
        scheme, _, where = self.address(request).partition("://")
        clone = f"git clone {scheme}://{INSTRUCTOR}@{where}/git/{quote(learner)}/{exercise}.git"
        name, title = self.course.learners[learner].name, self.course.exercises[exercise].title
        return HTMLResponse(pages.row_page(name, title, clone, self._shown(learner, exercise, _INSTRUCTORS)))

    def board(self) -> Board:
        """Where everybody stands."""
        names = {learner.id: learner.name for learner in self.course.learners.values()}
        now = self.clock.now()
        opened = [one.id for one in self.course.exercises.values() if one.is_open(now)]
        seen = {
            learner: [self._seen(learner, id_) for id_ in opened if self.course.given(learner, id_)]
            for learner in self.course.learners
        }
        return board(seen, names, self.hands)

    def _seen(self, learner: str, exercise: str) -> Seen:
        given = self.course.given(learner, exercise)
        pushes = [(seconds(one.push.at), one.found) for one in self.desk.pushes(learner, exercise)]
        since = seconds(given.made) if given is not None and given.made else None
        return seen_of_pushes(exercise, self.course.exercises[exercise].title, since, pushes)

    def _shown(self, learner: str, exercise: str, telling: Telling | None) -> list[pages.PushShown]:
        pushes = list(enumerate(self.desk.pushes(learner, exercise), start=1))
        return [_push_shown(count, one, telling) for count, one in reversed(pushes)]


def _push_shown(count: int, one: PushResult, telling: Telling | None) -> pages.PushShown:
    """A push as it is told; None: nothing of what was found is."""
    at = _time(datetime.fromtimestamp(seconds(one.push.at), UTC))
    blocks: list[Block]
    if one.found is None:
        said, blocks = "not graded yet", [Paragraph("It is safe here, and will be graded.", "doubt")]
    elif telling is None:
        said, blocks = "graded", [Paragraph("It is graded. The course tells the result later.")]
    else:
        said = SAID[standing(one.found)][0].lower()
        blocks = list(work_blocks(one.found, telling))
    return pages.PushShown(count, at, said, blocks)


def _time(at: datetime) -> str:
    """A time as people here read it, in the host's zone."""
    return f"{at.astimezone():%Y-%m-%d %H:%M}"


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


async def _form(request: Request) -> dict[str, str]:
    """The fields of a small form."""
    if request.headers.get("content-type", "").partition(";")[0] != "application/x-www-form-urlencoded":
        raise Refused(415, "This is no form of a page here.")
    body, _ = await received(request.stream(), 4_096)
    with body:
        text = body.read().decode("utf-8", "replace")
    return dict(parse_qsl(text, max_num_fields=10))


async def _static(request: Request) -> Response:
    """The style and the script of the pages; there is nothing in them that is anybody's."""
    try:
        data = pages.static_file(request.path_params["name"])
    except KeyError:
        return PlainTextResponse("There is nothing here.\n", 404, _HEADERS)
    kind = "text/css" if request.path_params["name"].endswith(".css") else "text/javascript"
    return Response(data, 200, {**_HEADERS, "Cache-Control": "max-age=60"}, f"{kind}; charset=utf-8")
