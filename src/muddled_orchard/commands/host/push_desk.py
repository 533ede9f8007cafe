"""Every push is written down, graded, and answered for: at once if it can be, later if it can't."""

from __future__ import annotations

import asyncio
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar

from msgspec import Struct, field
from msgspec.structs import replace

from muddled_orchard import __version__
from muddled_orchard.commands.host.clock import Clock
from muddled_orchard.commands.host.push_grading import PushGraders, PushToGrade
from muddled_orchard.commands.host.served_course import ServedCourse
from muddled_orchard.commands.host.turns import Turns
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.exercise.arriving import ARRIVING, with_arrived
from muddled_orchard.core.exercise.asked import ASKED_TAG
from muddled_orchard.core.exercise.roles import has_roles
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.grading.summary import standing
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.stored import Damaged, scenario_text
from muddled_orchard.files.stored_results import assessment_of, assessment_text
from muddled_orchard.system.log import log
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, refs_of

P = ParamSpec("P")
T = TypeVar("T")


class LedgerThread:
    """The course's ledger, used by one thread: SQLite wants that, and the rest waits for no disk."""

    def __init__(self, path: Path) -> None:
        self._thread = ThreadPoolExecutor(1, "ledger")
        self._ledger = self._thread.submit(HostLedger, path).result()

    async def do(self, work: Callable[Concatenate[HostLedger, P], T], *more: P.args, **named: P.kwargs) -> T:
        """What `work(ledger, ...)` returns, or raises."""

        def worked() -> T:
            return work(self._ledger, *more, **named)

        return await asyncio.get_running_loop().run_in_executor(self._thread, worked)

    def close(self) -> None:
        """Let go of the file, when all that was asked for is done."""
        self._thread.submit(self._ledger.close).result()
        self._thread.shutdown()


class PushResult(Struct, frozen=True):
    """A push, and what was found; None: it is not graded yet, or so long ago that the ledger alone knows."""

    push: RecordedPush
    assessment: Assessment | None = None


class RepositoryPushes(Struct):
    """What is known of a repository: its refs as they were last written down, and its pushes, the oldest
    first."""

    refs: dict[str, str]
    pushes: list[PushResult] = field(default_factory=list)

    def add(self, result: PushResult) -> None:
        """Put a push in, or in the place of what was known of it; of old ones less is held."""
        others = [one for one in self.pushes if one.push.id != result.push.id]
        self.pushes = sorted([*others, result], key=lambda one: one.push.id)
        for number, one in enumerate(self.pushes[:-_HELD]):
            self.pushes[number] = replace(one, assessment=None)


class PushDesk:
    """Writes pushes down and has them graded. `changed` is called with a push that came or was graded;
    `whose_repository` says in whose place the repository of a learner lies, by learner and exercise."""

    def __init__(
        self,
        ledger: LedgerThread,
        graders: PushGraders,
        clock: Clock,
        changed: Callable[[PushResult], None] = lambda _: None,
    ) -> None:
        self._ledger, self._graders, self._clock, self._changed = ledger, graders, clock, changed
        self._turns, self._patient_turns = Turns(graders.number, graders.number), Turns(1, 1)
        # Threads of their own: who waits for a grader takes none that sign-in, refs and pages need.
        self._threads = ThreadPoolExecutor(graders.number + 1, "graders")
        self._losses: Counter[int] = Counter()
        self.noticed_count, self.graded_count, self.graded_seconds = 0, 0, 0.0
        self._histories: dict[tuple[str, str], RepositoryPushes] = {}
        self.whose_repository: Callable[[str, str], str] = lambda learner, _: learner
        self._unnoticed: set[tuple[str, str]] = set()
        self._under_way: dict[int, asyncio.Task[Assessment | None]] = {}

    async def open(self, course: ServedCourse) -> None:
        """Read what is written down of pushes, and write down those that a host which was killed could
        not."""
        pushes, results = await self._ledger.do(_written_down)
        for push in pushes:
            place = self._place(push.learner, push.exercise)
            history = self._histories.setdefault(place, RepositoryPushes({}))
            history.refs = dict(push.refs)
            history.add(PushResult(push, results.get(push.grading or 0)))
        for learner, exercise in course.all_given():
            await self.noticed(course, learner, exercise)

    def _place(self, learner: str, exercise: str) -> tuple[str, str]:
        return self.whose_repository(learner, exercise), exercise

    def pushes(self, learner: str, exercise: str) -> list[PushResult]:
        """The pushes to a learner's repository of an exercise, also those of their team, the oldest first."""
        history = self._histories.get(self._place(learner, exercise))
        return list(history.pushes) if history else []

    def count_of_refs(self, learner: str, exercise: str) -> int:
        """How many refs a repository had when it was last looked at."""
        history = self._histories.get(self._place(learner, exercise))
        return len(history.refs) if history else 0

    async def noticed(self, course: ServedCourse, learner: str, exercise: str) -> RecordedPush | None:
        """Write a push down if a repository is not as it was last seen; None where nothing has changed."""
        hand_out = course.given(learner, exercise)
        if hand_out is None:
            return None
        place = self._place(learner, exercise)
        refs = await asyncio.to_thread(_refs, course.folder / course.place(learner, exercise))
        if refs is None:
            return None
        if place not in self._histories:
            self._histories[place] = RepositoryPushes(
                await asyncio.to_thread(course.handed_out_refs, hand_out)
            )
        history = self._histories[place]
        # What teammates have pushed is no push of the learner's.
        history.refs = with_arrived(history.refs, refs, course.coming_to(hand_out))
        if refs == history.refs:
            return None
        at = self._clock.now().isoformat(timespec="seconds")
        push = await self._ledger.do(HostLedger.add_push, learner, exercise, refs, at)
        history.refs = refs
        history.add(PushResult(push))
        self.noticed_count += 1
        log().info("push %s of %s to %s", push.id, learner, exercise)
        self._changed(history.pushes[-1])
        return push

    async def handed_in(self, course: ServedCourse, learner: str, exercise: str, file: str) -> RecordedPush:
        """Write a packed folder down that was handed in; `file` is where it lies, below the course's
        folder."""
        await self.noticed(course, learner, exercise)
        history = self._histories.setdefault(self._place(learner, exercise), RepositoryPushes({}))
        at = self._clock.now().isoformat(timespec="seconds")
        push = await self._ledger.do(HostLedger.add_push, learner, exercise, history.refs, at, file)
        history.add(PushResult(push))
        self.noticed_count += 1
        log().info("folder %s of %s to %s", push.id, learner, exercise)
        self._changed(history.pushes[-1])
        return push

    def grade_anew(self, pushes: Sequence[RecordedPush]) -> None:
        """Have pushes graded once more, by what their exercises say now, when there is time."""
        for push in pushes:
            history = self._histories.get(self._place(push.learner, push.exercise))
            if history is not None:
                history.add(PushResult(push))

    @property
    def under_way(self) -> int:
        """How many pushes wait to be graded, or are being graded."""
        return len(self._under_way)

    @property
    def lost_count(self) -> int:
        """How many processes pushes took down."""
        return self._losses.total()

    def later(self, learner: str, exercise: str) -> None:
        """A push could not be written down; it is tried again with the rest."""
        self._unnoticed.add((learner, exercise))

    async def graded(self, course: ServedCourse, push: RecordedPush, patience: float) -> Assessment | None:
        """What was found in a push, if that is known within so many seconds; else it goes on by itself."""
        task = self._begun(course, push)
        done, _ = await asyncio.wait({task}, timeout=patience)
        return task.result() if done else None

    async def grade_rest(self, course: ServedCourse) -> None:
        """Write down what could not be, and grade what is written down and not graded, the oldest first."""
        for place in sorted(self._unnoticed):
            await self.noticed(course, *place)
            self._unnoticed.discard(place)
        waiting = [
            result.push
            for history in self._histories.values()
            for result in history.pushes
            if result.push.grading is None
        ]
        begun = {self._begun(course, push) for push in sorted(waiting, key=lambda push: push.id)}
        if begun:
            await asyncio.wait(begun)

    def _begun(self, course: ServedCourse, push: RecordedPush) -> asyncio.Task[Assessment | None]:
        if push.id not in self._under_way:
            task = asyncio.create_task(self._grade(course, push))
            self._under_way[push.id] = task
            task.add_done_callback(lambda _: self._under_way.pop(push.id, None))
        return self._under_way[push.id]

    async def _grade(self, course: ServedCourse, push: RecordedPush) -> Assessment | None:
        """Grade a push and write the result down; None where that can't be done now."""
        hand_out = course.of_push(push)
        if hand_out is None:
            return None
        try:
            assessment = await self._assessed(course, hand_out, push)
        except Exception:  # whatever it was, it costs no other push, and this one is tried again
            log().exception("push %s of %s could not be graded", push.id, push.learner)
            return None
        grading = _grading(hand_out, push, assessment)
        try:
            written = await self._ledger.do(HostLedger.grade_push, push, grading)
        except BadInput:
            log().exception("the grading of push %s of %s could not be written", push.id, push.learner)
            return None
        self.graded_count += 1
        log().info(
            "push %s: %s, %g of %g", push.id, standing(assessment), assessment.points, assessment.possible
        )
        result = PushResult(written, assessment)
        self._histories[self._place(push.learner, push.exercise)].add(result)
        self._changed(result)
        return assessment

    async def _assessed(self, course: ServedCourse, hand_out: HandOut, push: RecordedPush) -> Assessment:
        """What is found in a push. One that takes long, and all of whoever had such a one of late, wait for
        the grader that takes its time: nobody else waits for them."""
        scenario = course.version(hand_out).scenario
        text = scenario_text(scenario)
        snapshot = course.snapshot(hand_out, push.refs)
        file = course.folder / push.file if push.file else None
        pushes = self._pushes_so_far(push) if has_roles(scenario.task) else ()
        wanted = PushToGrade(snapshot, scenario.id, hand_out.variant, text, file, pushes)
        if not self._turns.is_slow(push.learner):
            try:
                async with self._turns.turn(push.learner):
                    return await self._done(push, wanted, partial(self._graders.graded, wanted, _QUICK))
            except TimeoutError:
                log().info("push %s of %s takes long to grade", push.id, push.learner)
        async with self._patient_turns.turn(push.learner):
            if push.id != self._histories[self._place(push.learner, push.exercise)].pushes[-1].push.id:
                return unreadable("a newer push came before this one could be graded: they take long")
            return await self._done(push, wanted, partial(self._graders.graded_patiently, wanted))

    def _pushes_so_far(self, push: RecordedPush) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """Who pushed to a repository up to a push, and where its branches stood then."""
        every = (result.push for result in self.pushes(push.learner, push.exercise))
        return tuple((one.learner, tuple(one.refs.values())) for one in every if one.id <= push.id)

    async def _done(
        self, push: RecordedPush, wanted: PushToGrade, work: Callable[[], Assessment]
    ) -> Assessment:
        begun = time.monotonic()
        try:
            return await asyncio.get_running_loop().run_in_executor(self._threads, work)
        except (OSError, BadInput):  # of this machine, or it took too long: it can be tried again
            raise
        except Exception as error:
            self._losses[push.id] += 1
            if self._losses[push.id] < _MOST_LOSSES:
                raise
            return self._graders.lost(wanted, error)  # else it would be tried for ever
        finally:
            self.graded_seconds += time.monotonic() - begun


_QUICK = 4.0
"""Seconds that a push of somebody who is not slow is graded in; almost all take less than one."""

_MOST_LOSSES = 3
"""How often a push may take a process down, or end it in an error of ours."""

_HELD = 10
"""How many pushes to a repository are held with all that was found."""


def _written_down(ledger: HostLedger) -> tuple[list[RecordedPush], dict[int, Assessment]]:
    pushes = ledger.pushes()
    grouped: dict[tuple[str, str], list[RecordedPush]] = {}
    for push in pushes:
        grouped.setdefault((push.learner, push.exercise), []).append(push)
    newest = [push for several in grouped.values() for push in several[-_HELD:]]
    results: dict[int, Assessment] = {}
    for id_, text in ledger.results([push.grading for push in newest if push.grading is not None]):
        try:
            results[id_] = assessment_of(text)
        except Damaged:
            continue
    return pushes, results


def _refs(repository: Path) -> dict[str, str] | None:
    """The refs of a repository of ours, but the tag that says what is asked, and what is still to arrive;
    None where it can't be read, or isn't there yet."""
    try:
        found = refs_of(DiskSource(repository))
    except Unreadable:
        return None
    kept = {name: id_ for name, id_ in found.items() if not name.startswith((ASKED_TAG, ARRIVING))}
    return kept or None


def _grading(hand_out: HandOut, push: RecordedPush, assessment: Assessment) -> Grading:
    return Grading(
        graded=push.at,
        submission=push.name,
        fingerprint=f"push {push.id}",
        version=__version__,
        scenario=hand_out.scenario,
        exercise=push.exercise,
        variant=hand_out.variant,
        learner=push.learner,
        state=assessment.state,
        points=assessment.points,
        possible=assessment.possible,
        result=assessment_text(assessment),
        pile="",
    )


def seconds(at: str) -> float:
    """A time of the ledger's in seconds since 1970."""
    return datetime.fromisoformat(at).astimezone(UTC).timestamp()
