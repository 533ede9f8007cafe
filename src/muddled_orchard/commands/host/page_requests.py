"""What browsers ask of a host: a learner's pages, the board, and hands to raise."""

from __future__ import annotations

import asyncio
import hmac
from collections.abc import AsyncIterator
from datetime import UTC, datetime
from urllib.parse import parse_qsl, quote

from msgspec.structs import replace
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response, StreamingResponse

from muddled_orchard.commands.host import pages
from muddled_orchard.commands.host.drill import HostDrill
from muddled_orchard.commands.host.events import TooManyPages
from muddled_orchard.commands.host.held import HeldFile
from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.pages import time_here
from muddled_orchard.commands.host.paths import top_of
from muddled_orchard.commands.host.push_desk import PushResult, seconds
from muddled_orchard.commands.host.received import received
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.commands.host.served_course import ServedExercise
from muddled_orchard.commands.host.watched import metrics_text
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.allowances import time_with_zone
from muddled_orchard.core.course.board import Seen
from muddled_orchard.core.course.feedback import Telling, allowance_told, work_blocks
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.plan import Feedback
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.shared_tasks import told_to
from muddled_orchard.core.document import Block, Paragraph
from muddled_orchard.core.exercise.own_copy import (
    clone_commands,
    delete_command,
    init_commands,
    push_command,
    push_over_command,
)
from muddled_orchard.core.exercise.roles import ROLES
from muddled_orchard.core.grading.summary import SAID, standing
from muddled_orchard.vcs.read.quarantine import Unreadable
from muddled_orchard.vcs.write.practice import WORK

_TELLING: dict[Feedback, Telling] = {
    "hints": Telling(points=False),
    "criteria": Telling(),
    "full": Telling(key=True),
}
_INSTRUCTORS = Telling(key=True, left="what was left")
_OF_PAGE = "x-form-token"
"""The header in which a script of ours says which page it is of."""

_PATIENCE = 5.0
"""Seconds that somebody waits for what was found in a folder."""

_LARGEST_FORM, _MOST_FIELDS = 4_096, 10


class PageRequests:
    """Answers browsers, for a host; each answer may raise Refused."""

    def __init__(self, host: Host) -> None:
        self._host, self._drill = host, HostDrill(host)

    async def home(self, request: Request, who: str) -> Response:
        """The exercises of a learner; the instructor's home is the board."""
        if who == INSTRUCTOR:
            return RedirectResponse("board", 303)
        now, course = self._host.clock.now(), self._host.course
        shown = [self._listed(exercise, who, now) for exercise in course.exercises.values()]
        points = any(course.feedback(who, id_, now) in ("criteria", "full") for id_ in course.exercises)
        practice = await self._drill.shown(who)
        name = course.learners[who].name if who in course.learners else who
        about = (course.plan.title, name, shown, self._host.token(who), top_of(request))
        return HTMLResponse(pages.learner_page(*about, practice, hand=who in self._host.hands, points=points))

    def _listed(self, exercise: ServedExercise, who: str, now: datetime) -> pages.ExerciseShown:
        opened = exercise.is_open(now) and self._host.course.given(who, exercise.id) is not None
        seen = self._host.seen(who, exercise.id) if opened else None
        told = self._host.course.feedback(who, exercise.id, now)
        due = self._due(who, exercise)
        if not opened:
            due = f"opens {time_with_zone(exercise.rules.opens)}" if exercise.rules.opens else ""
        if told == "none" and seen is not None and seen.pushes:
            seen = Seen(exercise=exercise.id, title=exercise.title, stage="not pushed", pushes=seen.pushes)
        return pages.ExerciseShown(exercise.id, exercise.title, opened, seen, due)

    async def exercise(self, request: Request, who: str) -> Response:
        """An exercise of a learner."""
        exercise, hand_out = self._opened(request, who)
        variant = await asyncio.to_thread(self._host.course.variant, hand_out)
        scenario, history = variant.scenario, variant.history
        telling = await self._telling(who, exercise, hand_out)
        own = scenario.start.own
        scheme, _, where = self._host.address(request).partition("://")
        url = f"{scheme}://{quote(who)}@{where}/git/{quote(who)}/{exercise.id}.git"
        folder = f"{exercise.id}/{WORK}"
        clone = clone_commands(history, url, folder, scenario.start.config)
        shown = pages.ExercisePage(
            course=self._host.course.plan.title,
            id=exercise.id,
            title=exercise.title,
            brief=scenario.brief_for(self._host.role_of(hand_out)),
            graph=None if own else await asyncio.to_thread(self._host.course.graph, hand_out),
            due=self._due(who, exercise),
            allowed=self._allowed(who, exercise),
            lacks=exercise.lacks,
            takes_folder=exercise.takes_folder,
            get=init_commands(history.checked_out, url, folder) if own else clone,
            push=push_command(scenario),
            push_over=push_over_command(scenario),
            deletes=delete_command(scenario, history),
            pushes=self._shown(who, exercise.id, telling),
            arrived=self._host.arrived(hand_out),
            team=self._others(hand_out),
            branches=[one.said for one in await self._host.branches_of(hand_out)],
            role=self._role(hand_out),
            hand=who in self._host.hands,
            token=self._host.token(who),
            again=exercise.rules.again and not hand_out.team,
            practice=exercise.practice,
            over=exercise.practice and telling is not None and telling.key,
        )
        return HTMLResponse(pages.exercise_page(shown, top_of(request)))

    def _role(self, hand_out: HandOut) -> pages.RoleShown | None:
        """What a learner sees of the roles of their team; None where there are none."""
        tasks = self._host.tasks_of_team(hand_out)
        if not tasks:
            return None
        role = self._host.role_of(hand_out)
        called = {task.role: task.called for task in tasks}
        told = tuple(told_to(tasks, role))
        return pages.RoleShown(
            role, called.get(role, ""), told, () if role else tuple(sorted(called.items()))
        )

    def _others(self, hand_out: HandOut) -> list[str]:
        """The names of the others who share a repository."""
        course = self._host.course
        whose = course.sharing(hand_out.learner, hand_out.exercise)
        return [course.learners[one].name for one in whose if one != hand_out.learner]

    async def _telling(self, who: str, exercise: ServedExercise, hand_out: HandOut) -> Telling | None:
        """How much is told of the pushes to an exercise; None: nothing is."""
        if exercise.practice:
            return await self._drill.telling(hand_out)
        return _TELLING.get(self._host.course.feedback(who, exercise.id, self._host.clock.now()))

    def _due(self, who: str, exercise: ServedExercise) -> str:
        due = self._host.course.due(who, exercise.id)
        excused = self._host.course.allowances.excused(who, exercise.id)
        return time_with_zone(due) if due and not excused else ""

    def _allowed(self, who: str, exercise: ServedExercise) -> str:
        """What is allowed to a learner alone, as a sentence; empty: nothing is."""
        found = self._host.course.allowances.of(who, exercise.id)
        return "" if found is None else allowance_told(found, exercise.rules.due)

    async def archive(self, request: Request, who: str) -> Response:
        """The practice folder of a learner, packed."""
        exercise, hand_out = self._opened(request, who)
        url = f"{self._host.address(request)}/git/{quote(who)}/{exercise.id}.git"
        scheme, _, where = url.partition("://")
        data = await asyncio.to_thread(
            self._host.course.archive, hand_out, f"{scheme}://{quote(who)}@{where}"
        )
        headers = {"Content-Disposition": f'attachment; filename="{exercise.id}.tar.gz"'}
        return Response(data, 200, headers, "application/gzip")

    def _opened(self, request: Request, who: str) -> tuple[ServedExercise, HandOut]:
        """The exercise of a page that is open to its learner. Raises Refused."""
        exercise = self._host.course.served(request.path_params["exercise"])
        hand_out = self._host.course.given(who, exercise.id) if exercise is not None else None
        if exercise is None or hand_out is None or not exercise.is_open(self._host.clock.now()):
            raise Refused(404, "You have no such exercise, or it is not open yet.")
        return exercise, hand_out

    async def events(self, _: Request, who: str) -> Response:
        """News, as they come."""
        try:
            stream: AsyncIterator[bytes] = self._host.news.of(who)
        except TooManyPages:
            raise Refused(429, "Too many pages are open.") from None
        headers = {"X-Accel-Buffering": "no"}  # a proxy that gathers answers would keep news back
        return StreamingResponse(stream, headers=headers, media_type="text/event-stream")

    async def board(self, request: Request, who: str) -> Response:
        """Where everybody stands."""
        if who != INSTRUCTOR:
            raise Refused(404, "There is nothing here for you.")
        title, now = self._host.course.plan.title, self._host.clock.now().astimezone()
        about = (title, self._host.board(), now, self._host.token(who), top_of(request))
        return HTMLResponse(pages.board_page(*about, self._host.troubles()))

    async def metrics(self, _: Request, who: str) -> Response:
        """The host's figures, for a program that watches it in the instructor's name."""
        if who != INSTRUCTOR:
            raise Refused(404, "There is nothing here for you.")
        return Response(metrics_text(self._host), media_type="text/plain; version=0.0.4; charset=utf-8")

    async def row(self, request: Request, who: str) -> Response:
        """What a learner has pushed to an exercise."""
        learner, exercise = request.path_params["learner"], request.path_params["exercise"]
        if who != INSTRUCTOR or self._host.course.given(learner, exercise) is None:
            raise Refused(404, "There is nothing here for you.")
        scheme, _, where = self._host.address(request).partition("://")
        clone = f"git clone {scheme}://{INSTRUCTOR}@{where}/git/{quote(learner)}/{exercise}.git"
        name, title = self._host.course.learners[learner].name, self._host.course.title(exercise)
        pushes = self._shown(learner, exercise, _INSTRUCTORS)
        about = (name, title, clone, pushes, top_of(request))
        return HTMLResponse(pages.row_page(*about, learner, exercise, self._host.token(who)))

    async def hand(self, request: Request, who: str) -> Response:
        """Raise or lower a hand."""
        form, learner = await self._of_page(request, who)
        exercise = form.get("exercise", "")
        if form.get("raised") == "yes":
            await self._host.raise_hand(learner, exercise if self._host.course.served(exercise) else "")
        else:
            await self._host.lower_hand(learner)
        back = "board" if who == INSTRUCTOR else f"exercise/{quote(exercise)}" if exercise else "./"
        return RedirectResponse(back, 303)

    async def drill(self, request: Request, who: str) -> Response:
        """Give a learner the next exercise to practise; one that is at hand comes first."""
        form, learner = await self._of_page(request, who)
        if who == INSTRUCTOR:
            raise Refused(404, "There is nothing here for you.")
        place = await self._drill.next(learner, form.get("skill", ""))
        return RedirectResponse(f"exercise/{quote(place)}" if place else "./", 303)

    async def role(self, request: Request, who: str) -> Response:
        """Give a learner the role in their team's exercise that they choose."""
        form, learner = await self._of_page(request, who)
        exercise, chosen = form.get("exercise", ""), form.get("role", "")
        hand_out = self._host.course.given(learner, exercise)
        if hand_out is None or chosen not in map(str, ROLES) or not self._host.team_of(hand_out):
            raise Refused(404, "There is no such role to choose.")
        try:
            await self._host.choose_role(hand_out, int(chosen))
        except BadInput as bad:
            raise Refused(409, str(bad)) from None
        return RedirectResponse(f"exercise/{quote(exercise)}", 303)

    async def again(self, request: Request, who: str) -> Response:
        """Give a learner's repository its handed-out branches again, or those of another variant."""
        form, learner = await self._of_page(request, who)
        exercise, other = form.get("exercise", ""), form.get("other") == "yes"
        served, hand_out = (
            self._host.course.served(exercise),
            self._host.course.given(learner, exercise),
        )
        if served is None or hand_out is None or not served.is_open(self._host.clock.now()):
            raise Refused(404, "There is no such exercise, or it is not open yet.")
        if other and hand_out.team:
            raise Refused(403, "A team has one variant together; your instructor can give it another.")
        if other and who != INSTRUCTOR and not served.rules.again:
            raise Refused(403, "Your instructor gives another one.")
        try:
            await self._host.begin_again(learner, exercise, other=other)
        except Unreadable as why:
            raise Refused(503, f"The repository can't be read: {why}.") from None
        back = (
            f"board/{quote(learner)}/{quote(exercise)}"
            if who == INSTRUCTOR
            else f"exercise/{quote(exercise)}"
        )
        return RedirectResponse(back, 303)

    async def folder(self, request: Request, who: str) -> Response:
        """Take the folder of a learner, packed, as the body of the request."""
        exercise, _ = self._opened(request, who)
        self._refuse_other_pages(request.headers.get(_OF_PAGE, ""), who)
        if not exercise.takes_folder:
            raise Refused(404, "This exercise is handed in by a push.")
        await self._host.refuse_full(who)
        body = HeldFile(self._host.held, who)
        try:
            await received(request.stream(), self._host.bounds.size, body)
        except Refused as refused:
            raise Refused(refused.status, f"Nothing was taken: {refused.why}.") from None
        try:
            push = await self._host.take_folder(who, exercise.id, body)
        finally:
            body.close()
        await self._host.desk.graded(self._host.course, push, _PATIENCE)
        return PlainTextResponse("It has come in.\n")

    async def _of_page(self, request: Request, who: str) -> tuple[dict[str, str], str]:
        """The fields of a form of ours, and the learner whom it is about. Raises Refused."""
        form = await _form(request, HeldFile(self._host.held, who))
        self._refuse_other_pages(form.get("token", ""), who)
        learner = form.get("learner", "") if who == INSTRUCTOR else who
        if learner not in self._host.course.learners:
            raise Refused(404, "There is no such learner.")
        return form, learner

    def _refuse_other_pages(self, token: str, who: str) -> None:
        """Raise Refused where a form is not of a page of ours."""
        if not hmac.compare_digest(token.encode(), self._host.token(who).encode()):
            raise Refused(403, "This form is not of a page here; go back and load the page anew.")

    def _shown(self, learner: str, exercise: str, telling: Telling | None) -> list[pages.PushShown]:
        course = self._host.course
        pushes = list(enumerate(self._host.desk.pushes(learner, exercise), start=1))
        shared = len(course.sharing(learner, exercise)) > 1
        hand_out = course.given(learner, exercise)
        shown = []
        for count, result in reversed(pushes):
            who = course.learners.get(result.push.learner) if shared else None
            if hand_out is not None and telling is not _INSTRUCTORS:
                share = self._host.share_of(hand_out, result.assessment)
                result = replace(result, assessment=share)  # noqa: PLW2901 - the same push, for them
            one = _push_shown(count, result, telling)
            shown.append(replace(one, by=who.name) if who is not None else one)
        return shown


def _push_shown(count: int, result: PushResult, telling: Telling | None) -> pages.PushShown:
    """A push as it is told; None: nothing of what was found is."""
    at = time_here(datetime.fromtimestamp(seconds(result.push.at), UTC))
    blocks: list[Block]
    if result.assessment is None and result.push.grading is not None:
        said, blocks = "graded", [Paragraph("It was graded; newer ones are shown here.")]
    elif result.assessment is None:
        said, blocks = "not graded yet", [Paragraph("It is safe here, and will be graded.", "partly")]
    elif telling is None:
        said, blocks = "graded", [Paragraph("It is graded. The course tells the result later.")]
    else:
        said = SAID[standing(result.assessment)][0].lower()
        blocks = list(work_blocks(result.assessment, telling))
    return pages.PushShown(count, at, said, blocks, folder=bool(result.push.file))


async def _form(request: Request, body: HeldFile) -> dict[str, str]:
    """The fields of a small form."""
    if request.headers.get("content-type", "").partition(";")[0] != "application/x-www-form-urlencoded":
        raise Refused(415, "This is no form of a page here.")
    await received(request.stream(), _LARGEST_FORM, body)
    try:
        text = body.file.read().decode("utf-8", "replace")
    finally:
        body.close()
    try:
        return dict(parse_qsl(text, max_num_fields=_MOST_FIELDS))
    except ValueError:
        raise Refused(400, "This is no form of a page here.") from None
