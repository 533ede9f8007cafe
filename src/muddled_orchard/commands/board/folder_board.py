"""The board of folders in which learners work, looked at again and again."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.classroom.parallel import opened
from muddled_orchard.commands.board.ledger_board import RowDetail, raised_hands
from muddled_orchard.core.base.limits import Bounds, Exceeded
from muddled_orchard.core.course.board import Board, Seen, board, excused_seen, seen_of_folder, unread
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.roster import shown_names
from muddled_orchard.core.exercise.claim import Claims
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.submission.peek import Peek, peek
from muddled_orchard.files.archives.submissions import Handed, find_submissions
from muddled_orchard.files.archives.working_state import working_state
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.stored_results import assessment_of, assessment_text
from muddled_orchard.system.processes import share
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import (
    LOST,
    PORTIONS_AHEAD,
    Workers,
    begin_work,
    in_order,
    why_lost,
    workers,
)
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.grading import FindScenario, Grader
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, take_over
from muddled_orchard.vcs.read.reader import Reader

_AT_ONCE = 8


class LookedAt(Struct, frozen=True):
    """A folder as it was looked at: what is seen of it, the assessment as text, and what is under way in it;
    None where it can't be read."""

    seen: Seen
    assessment: str
    looked: Peek | None


class _Known(Struct):
    """A folder with the state in which it was looked at, and whose it is."""

    state: tuple[int, float] | None
    looked: LookedAt
    learner: str
    team: tuple[str, ...] = ()


@contextmanager
def folder_board(
    named: Sequence[Path], run: GradingRun, bounds: Bounds, jobs: int, ledger: HostLedger | None = None
) -> Iterator[FolderBoard]:
    """A board over folders; `ledger` knows of raised hands. Its processes begin here and now."""
    git.require()
    shared = (run.scenarios.find, bounds, run.claims())
    with temporary_folder() as folder, workers(jobs, _looker, folder, *shared) as pool:
        yield FolderBoard(named, run, bounds, pool, jobs, ledger)


class FolderBoard:
    """Looks at folders again and again, at each only when something has changed in it."""

    def __init__(
        self,
        named: Sequence[Path],
        run: GradingRun,
        bounds: Bounds,
        pool: Workers[Sequence[Path], list[LookedAt]],
        jobs: int,
        ledger: HostLedger | None = None,
    ) -> None:
        self._named, self._run, self._bounds = named, run, bounds
        self._pool, self._jobs, self._ledger = pool, jobs, ledger
        self._known: dict[Path, _Known] = {}

    def look(self) -> Board:
        """One round. Raises BadInput where there is nothing to look at."""
        there = {handed.path: handed for handed in find_submissions(self._named).handed}
        self._known = {path: known for path, known in self._known.items() if path in there}
        states = {path: working_state(path) for path in there}
        changed = [
            path
            for path, state in states.items()
            if path not in self._known or state is None or self._known[path].state != state
        ]
        for path, looked_at in zip(changed, self._looked_at(changed), strict=True):
            state = states[path]
            if looked_at.looked is None and path in self._known and self._known[path].state is not None:
                # It may have been read in the middle of a command; the next round tells.
                self._known[path].state = None
                continue
            owner = self._owner(there[path], looked_at)
            practice = owner.uncounted == "practice"
            own = replace(looked_at, seen=replace(looked_at.seen, practice=practice))
            since = _since(own, state, self._known.get(path))
            self._known[path] = _Known(state, since, owner.learner, owner.team)
        return self._board()

    def details(self, learner: str) -> list[RowDetail]:
        """What is behind a learner's row, an exercise each."""
        return [
            RowDetail(str(path), assessment_of(known.looked.assessment), known.looked.looked)
            for path, known in self._known.items()
            if learner in (known.learner, *known.team)
        ]

    def _looked_at(self, paths: Sequence[Path]) -> Iterator[LookedAt]:
        size = share(len(paths), self._jobs, _AT_ONCE)
        portions = (paths[start : start + size] for start in range(0, len(paths), size))
        submit = partial(self._pool.submit, seconds=self._bounds.seconds + size)
        for portion, sent in in_order(portions, submit, PORTIONS_AHEAD * self._jobs):
            try:
                yield from sent.result()
            except LOST:
                yield from (self._alone(path) for path in portion)

    def _alone(self, path: Path) -> LookedAt:
        try:
            return self._pool.submit([path], self._bounds.seconds).result()[0]
        except LOST as error:
            return _unreadable(why_lost(error, "reading it", self._bounds, path))

    def _owner(self, handed: Handed, looked_at: LookedAt) -> Collected:
        return self._run.collected(handed, assessment_of(looked_at.assessment), remembered=False)[0]

    def _board(self) -> Board:
        given = list(dict.fromkeys((hand_out.learner, hand_out.exercise) for hand_out in self._run.hand_outs))
        order = list(dict.fromkeys(exercise for _, exercise in given))
        seen: dict[str, list[Seen]] = {}
        for known in self._known.values():
            for learner in known.team or (known.learner,):
                seen.setdefault(learner, []).append(known.looked.seen)
        for learner, exercise in given:
            if all(one.exercise != exercise or one.practice for one in seen.get(learner, ())):
                seen.setdefault(learner, []).append(_absent(exercise))
        for learner, theirs in seen.items():
            theirs[:] = [
                excused_seen(one.exercise, one.title)
                if not one.practice and self._run.excused(learner, one.exercise)
                else one
                for one in theirs
            ]
            theirs.sort(key=lambda one: order.index(one.exercise) if one.exercise in order else len(order))
        names = shown_names(self._run.roster.values())
        hands = raised_hands(self._ledger) if self._ledger is not None else {}
        return board(seen, names, hands)


def _since(looked_at: LookedAt, state: tuple[int, float] | None, before: _Known | None) -> LookedAt:
    """What was looked at, since it has been so: as long as before, or since something last changed."""
    seen, known = looked_at.seen, before.looked.seen if before else None
    if known is not None and (known.stage, known.detail) == (seen.stage, seen.detail):
        return replace(looked_at, seen=replace(seen, since=known.since))
    return replace(looked_at, seen=replace(seen, since=state[1] if state else None))


def _absent(exercise: str) -> Seen:
    detail = "there is no folder of it"
    return Seen(exercise=exercise, title=exercise, stage="nothing begun", detail=detail)


def _looker(
    folder: Path, find: FindScenario, bounds: Bounds, claims: Claims
) -> Callable[[Sequence[Path]], list[LookedAt]]:
    """What a process does with a portion; made in it."""
    own = begin_work(folder, bounds)
    grader = Grader(own, find, lambda path: opened(path, bounds), claims)

    def look(paths: Sequence[Path]) -> list[LookedAt]:
        return [
            _look(path, assessment, bounds)
            for path, assessment in zip(paths, grader.grade(paths), strict=True)
        ]

    return look


def _look(path: Path, assessment: Assessment, bounds: Bounds) -> LookedAt:
    text = assessment_text(assessment)
    try:
        place = opened(path, bounds)
        repository = find_repository(place)
        if repository is None:
            return _unreadable("there is no Git repository in it", assessment)
        reader = Reader(take_over(place, repository))
        evidence = reader.evidence((), {})
        looked = peek(evidence, reader.asked())
    except (Unreadable, Exceeded) as problem:
        return _unreadable(str(problem), assessment)
    seen = seen_of_folder(assessment.exercise or path.name, assessment.title, assessment, looked, evidence)
    return LookedAt(seen, text, looked)


def _unreadable(reason: str, assessment: Assessment | None = None) -> LookedAt:
    told = assessment if assessment is not None and assessment.state == "unreadable" else unreadable(reason)
    return LookedAt(unread(told), assessment_text(told), None)
