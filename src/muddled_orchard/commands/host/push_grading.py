"""Grade pushes in processes that wait for them, each push within bounds."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.exercise.claim import Claims, ExerciseVariant
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.stored import scenario_of
from muddled_orchard.files.stored_results import assessment_of, assessment_text
from muddled_orchard.system.apart import WorkersApart
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import begin_work, why_lost
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.grading import Grader
from muddled_orchard.vcs.read.pushed import PushedSource, PushSnapshot


class PushToGrade(Struct, frozen=True):
    """A push with what it is held against: the exercise's id, the variant that its repository was handed out
    with, and the scenario's text. `file`: what is graded is a packed folder in this file instead. `pushes`:
    who of a team pushed, as far as that counts (`Evidence.pushes`)."""

    snapshot: PushSnapshot
    exercise: str
    variant: str
    scenario: str
    file: Path | None = None
    pushes: tuple[tuple[str, tuple[str, ...]], ...] = ()


class PushGraders:
    """Processes that grade pushes: some for what takes a moment, as almost all do, and one that takes its
    time, behind everything else that the machine has to do. One that was lost begins anew with the next
    push: a host runs for days."""

    def __init__(
        self,
        workers: WorkersApart[PushToGrade | None, str],
        patient: WorkersApart[PushToGrade | None, str],
        bounds: Bounds,
    ) -> None:
        self._workers, self._patient, self._bounds = workers, patient, bounds
        self.number = workers.number

    def graded(self, push: PushToGrade, seconds: float) -> Assessment:
        """The assessment of a push; waits for it, in any thread. Raises TimeoutError where it takes longer
        than so many seconds, and WorkerLost where a process ended unexpectedly."""
        try:
            return _of_this(push, self._workers.do(push, seconds))
        except MemoryError as error:  # more time would not help
            return self.lost(push, error)

    def graded_patiently(self, push: PushToGrade) -> Assessment:
        """The same within the bounds of a push, by the one that takes its time; there is one at a time."""
        try:
            return _of_this(push, self._patient.do(push, self._bounds.seconds))
        except (TimeoutError, MemoryError) as error:
            return self.lost(push, error)

    def lost(self, push: PushToGrade, error: Exception) -> Assessment:
        """The assessment of a push that can't be graded."""
        return unreadable(why_lost(error, "reading it", self._bounds, push.snapshot.repository))

    def end(self) -> None:
        """Wait for nothing any more: what is being graded is lost to this run."""
        self._workers.kill()
        self._patient.kill()


def _of_this(push: PushToGrade, text: str) -> Assessment:
    assessment = assessment_of(text)
    if assessment.exercise and (assessment.exercise, assessment.variant) != (push.exercise, push.variant):
        # Else the work of another, pushed here, would be theirs.
        return unreadable("its commits are not those that were handed out to this learner")
    return assessment


@contextmanager
def push_graders(bounds: Bounds, jobs: int) -> Iterator[PushGraders]:
    """So many processes, and the one that takes its time, each of which has loaded what it needs."""
    git.require()
    with temporary_folder() as folder:
        workers = WorkersApart(jobs, partial(_prepare, folder, bounds))
        patient = WorkersApart(1, partial(_prepare_behind, folder, bounds))
        try:
            workers.begin_all(None)
            yield PushGraders(workers, patient, bounds)
        finally:
            workers.end()
            patient.end()


def _prepare_behind(folder: Path, bounds: Bounds) -> Callable[[PushToGrade | None], str]:
    with suppress(AttributeError, OSError):  # not every system has it
        os.nice(_BEHIND)
    return _prepare(folder, bounds)


_BEHIND = 10
"""How much a process that takes its time stands back for others (nice(2))."""


def _prepare(folder: Path, bounds: Bounds) -> Callable[[PushToGrade | None], str]:
    return partial(_grade, _Grading(begin_work(folder, bounds), bounds))


class _Grading:
    """A grader for pushes, whichever scenario they belong to."""

    def __init__(self, folder: Path, bounds: Bounds) -> None:
        self._bounds = bounds
        self.push: PushToGrade | None = None
        self._scenarios: dict[str, tuple[str, Scenario]] = {}
        self.grader = Grader(folder, self._find, self._open)

    def _find(self, hand_out: ExerciseVariant) -> Scenario | None:
        push = self.push
        if push is None or hand_out.exercise != push.exercise:
            return None
        known = self._scenarios.get(push.exercise)
        if known is None or known[0] != push.scenario:
            known = self._scenarios[push.exercise] = (push.scenario, scenario_of(push.scenario))
        return known[1]

    def _open(self, _: Path) -> FileSource:
        assert self.push is not None  # noqa: S101 - it is set before grading begins
        if self.push.file is not None:
            return unpacked(self.push.file, self._bounds)
        return PushedSource(self.push.snapshot)


def _grade(grading: _Grading, push: PushToGrade | None) -> str:
    if push is None:  # what begins a process
        return ""
    grading.push = push
    # Where learners begin with `git init`, their repository here says what it is.
    grading.grader.claims = Claims(otherwise=ExerciseVariant(push.exercise, push.variant))
    grading.grader.pushes = push.pushes
    (assessment,) = grading.grader.grade([push.file or push.snapshot.repository])
    return assessment_text(assessment)
