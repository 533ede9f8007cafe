"""A course that is served: where everybody stands, who wants help, and what may change while it runs."""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import secrets
import time
from collections.abc import Callable

from msgspec.structs import replace
from starlette.requests import Request

from muddled_orchard.classroom.making import Exercise
from muddled_orchard.commands.host.access import Access
from muddled_orchard.commands.host.branches import BranchBeside, Branches
from muddled_orchard.commands.host.clock import Clock
from muddled_orchard.commands.host.connections import Connections
from muddled_orchard.commands.host.events import News
from muddled_orchard.commands.host.git_service import GitService
from muddled_orchard.commands.host.held import Held, HeldFile
from muddled_orchard.commands.host.push_desk import LedgerThread, PushDesk, seconds
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.commands.host.repositories import DiskUse
from muddled_orchard.commands.host.served_course import ServedCourse
from muddled_orchard.commands.host.teammates import Teammates
from muddled_orchard.core.base.limits import Bounds, in_mib
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.course.board import Board, Seen, board, excused_seen, in_team, seen_of_pushes
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.practice import is_practice_id, practice_id, practised_exercise
from muddled_orchard.core.course.pushes import Arrived, RecordedPush, arrived
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import shown_names
from muddled_orchard.core.course.shared_tasks import SharedTask, shared_tasks, turn_told
from muddled_orchard.core.exercise.tasks import branch_at_end
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.shared_work import Member, share_of
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.system.log import log
from muddled_orchard.system.output import PRIVATE, write_file

_HOST = pattern(r"[A-Za-z0-9.-]{1,253}(:\d{1,5})?|\[[0-9a-fA-F:]{2,45}\](:\d{1,5})?")


_TOLD_AGAIN, _SHOWN_FOR = 60.0, 600.0
"""Seconds after which the same trouble is told again, and that it stands on the board."""


class Host:
    """A course that is served, with everything that its answers are made of."""

    def __init__(
        self,
        *,
        course: ServedCourse,
        access: Access,
        git: GitService,
        held: Held,
        connections: Connections,
        disk: DiskUse,
        ledger: LedgerThread,
        desk: PushDesk,
        news: News,
        bounds: Bounds,
        clock: Clock,
        url: str | None = None,
        proxies: frozenset[str] = frozenset(),
        say: Callable[[str], None] = lambda _: None,
    ) -> None:
        self.course, self.access, self.git, self.held = course, access, git, held
        self.ledger, self.desk, self.news = ledger, desk, news
        self.bounds, self.clock, self.url = bounds, clock, url
        self.connections, self.disk, self.proxies = connections, disk, proxies
        self.teammates = Teammates(self)
        self.branches = Branches(git)
        desk.whose_repository = self._whose_repository
        self.hands: dict[str, float] = {}
        self._say = say
        self._pushing: dict[str, asyncio.Lock] = {}
        self._troubles: dict[str, float] = {}
        self._key = secrets.token_bytes(32)

    def _whose_repository(self, learner: str, exercise: str) -> str:
        """By the course as it is served now."""
        return self.course.whose_repository(learner, exercise)

    def token(self, who: str) -> str:
        """What a form has that came from a page of ours, and no other."""
        return hmac.new(self._key, who.encode(), hashlib.sha256).hexdigest()

    def pushing(self, place: str) -> asyncio.Lock:
        """Held by whoever changes a repository: one at a time."""
        return self._pushing.setdefault(place, asyncio.Lock())

    def troubled(self, what: str) -> None:
        """Something does not work here that only whoever runs the host can mend: they are told once a minute,
        on the terminal, in the log and on the board."""
        now = time.monotonic()
        if now - self._troubles.get(what, -_TOLD_AGAIN) < _TOLD_AGAIN:
            return
        log().warning("%s", what)
        self._troubles[what] = now
        self._say(f"{what[:1].upper()}{what[1:]}. Look at the disk and at who may write there.")
        self.news.tell(INSTRUCTOR)

    def troubles(self) -> list[str]:
        """What did not work in the last ten minutes."""
        since = time.monotonic() - _SHOWN_FOR
        self._troubles = {what: at for what, at in self._troubles.items() if at > since}
        return list(self._troubles)

    def address(self, request: Request) -> str:
        """Where the host is, as the one who asks sees it, without a slash at its end."""
        if self.url:
            return self.url.rstrip("/")
        named = request.headers.get("host", "")
        where = named if _HOST.fullmatch(named) else "127.0.0.1"
        return f"{request.url.scheme}://{where}"

    async def read_hands(self) -> None:
        """Go by the raised hands that are written down."""
        self.hands = {hand.learner: seconds(hand.raised) for hand in await self.ledger.do(HostLedger.hands)}

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

    async def kept_of(self, learner: str) -> int:
        """How many bytes all repositories and folders of a learner hold."""
        return await asyncio.to_thread(self.disk.of, self.course.places_of(learner))

    async def refuse_full(self, learner: str) -> None:
        """Raise Refused where a learner holds all that they may."""
        if await self.kept_of(learner) >= self.disk.most:
            most = in_mib(self.disk.most)
            raise Refused(507, f"Your repositories here hold the {most} that they may: tell your instructor.")

    async def take_folder(self, learner: str, exercise: str, body: HeldFile) -> RecordedPush:
        """Keep a packed folder that was handed in, and write it down. Raises BadInput where that can't be."""
        place = f"{self.course.place_of_folders(learner, exercise)}/{secrets.token_hex(8)}"
        data = await asyncio.to_thread(body.file.read)
        await asyncio.to_thread(write_file, self.course.folder / place, data, PRIVATE)
        self.disk.look(self.course.folder / self.course.place_of_folders(learner, exercise))
        return await self.desk.handed_in(self.course, learner, exercise, place)

    async def choose_role(self, hand_out: HandOut, role: int) -> None:
        """Give a learner the role that they have chosen. Raises BadInput where they can't have it."""
        await self.ledger.do(self.course.choose_role, hand_out, role)
        log().info("%s has role %s of %s", hand_out.learner, role, hand_out.exercise)
        self.news.tell(*self.course.sharing(hand_out.learner, hand_out.exercise), INSTRUCTOR)

    async def begin_again(self, learner: str, exercise: str, *, other: bool) -> None:
        """Give a learner's repository its handed-out branches, or those of another variant. Raises BadInput
        or GitFailed where that can't be."""
        async with self.pushing(self.course.place(learner, exercise)):
            hand_out = self.course.given(learner, exercise)
            if hand_out is not None:
                await self.teammates.begun_again(hand_out)
            if other:
                hand_out = await self.ledger.do(self.course.another, learner, exercise)
            if hand_out is not None:
                await asyncio.to_thread(self.course.put_back, hand_out)
                await self.desk.noticed(self.course, learner, exercise)
        log().info("%s began %s again%s", learner, exercise, " with other values" if other else "")
        self.news.tell(learner, INSTRUCTOR)

    async def give_practice(self, learner: str, exercise: Exercise) -> str:
        """Give a learner an exercise to practise, in a variant that they have not had; the id under which it
        is served. Raises BadInput or
        GitFailed where that can't be."""
        place = practice_id(exercise.scenario.id)
        async with self.pushing(self.course.place(learner, place)):
            hand_out = await self.ledger.do(self.course.practise, learner, exercise)
            await asyncio.to_thread(self.course.put_back, hand_out)
            await self.desk.noticed(self.course, learner, place)
        log().info("%s practises %s", learner, exercise.scenario.id)
        self.news.tell(learner, INSTRUCTOR)
        return place

    def team_of(self, hand_out: HandOut) -> list[Member]:
        """Those who share a repository and have given out its tasks among themselves; nobody where there are
        none."""
        return self.course.team_of(hand_out)

    def role_of(self, hand_out: HandOut) -> int:
        """The role of a learner in what their team shares; 0: they have none, or not yet."""
        return next((one.role for one in self.team_of(hand_out) if one.id == hand_out.learner), 0)

    def tasks_of_team(self, hand_out: HandOut) -> list[SharedTask]:
        """The tasks that a team has given out, and how far they are; none where it has not."""
        team = self.team_of(hand_out)
        if not team:
            return []
        variant = self.course.variant(hand_out)
        commits = variant.history.commits
        subjects = {one.label: one.message.split("\n", 1)[0] for one in commits if one.label}
        results = self.desk.pushes(hand_out.learner, hand_out.exercise)
        newest = next((one.assessment for one in reversed(results) if one.assessment is not None), None)
        return shared_tasks(variant.scenario, subjects, newest, team)

    def share_of(self, hand_out: HandOut, assessment: Assessment | None) -> Assessment | None:
        """What of a work's assessment is that of the learner who has this hand-out."""
        if assessment is None:
            return None
        return share_of(assessment, hand_out.learner, self.team_of(hand_out))

    def board(self) -> Board:
        """Where everybody stands."""
        names = shown_names(self.course.learners.values())
        now = self.clock.now()
        opened = [exercise.id for exercise in self.course.exercises.values() if exercise.is_open(now)]
        seen = {
            learner: [
                *(self.seen(learner, id_, whole=True) for id_ in opened if self.course.given(learner, id_)),
                *(self.seen(learner, one.exercise, whole=True) for one in self.course.practised(learner)),
            ]
            for learner in self.course.learners
        }
        return board(seen, names, self.hands)

    def seen(self, learner: str, exercise: str, *, whole: bool = False) -> Seen:
        """An exercise of a learner by its pushes; `whole`: with all that a team has made of it, and not a
        share of that."""
        title = self.course.title(exercise)
        if self.course.allowances.excused(learner, exercise):
            return excused_seen(exercise, title)
        hand_out = self.course.given(learner, exercise)
        results = self.desk.pushes(learner, exercise)
        pushes = [
            (
                seconds(one.push.at),
                one.assessment if whole or hand_out is None else self.share_of(hand_out, one.assessment),
            )
            for one in results
        ]
        since = seconds(hand_out.made) if hand_out is not None and hand_out.made else None
        seen = seen_of_pushes(practised_exercise(exercise), title, since, pushes)
        waiting = [one for one in self.arrived(hand_out) if not one.fetched] if hand_out is not None else []
        whose = self.course.sharing(learner, exercise)
        last = self.course.learners.get(results[-1].push.learner) if results else None
        tasks = self.tasks_of_team(hand_out) if hand_out is not None else []
        turn = turn_told(tasks, pushes[-1][0] if pushes else since)
        seen = in_team(seen, whose, waiting, last.name if last is not None else "", turn)
        return replace(seen, practice=is_practice_id(exercise))

    async def branches_of(self, hand_out: HandOut) -> list[BranchBeside]:
        """How the branches stand of a repository that a team shares, the newest push counting."""
        learner, exercise = hand_out.learner, hand_out.exercise
        pushes = self.desk.pushes(learner, exercise)
        if not hand_out.team or not pushes:
            return []
        main = branch_at_end(self.course.variant(hand_out).scenario.task)
        place = self.course.place(learner, exercise)
        return await self.branches.of(learner, place, pushes[-1].push.refs, main)

    def arrived(self, hand_out: HandOut) -> list[Arrived]:
        """What teammates have pushed to a repository by now, in order."""
        there = self.teammates.of(hand_out)
        return arrived([coming.arrival for coming, _ in there], [came for _, came in there])
