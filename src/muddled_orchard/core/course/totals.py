"""What a course adds up to: which attempt of each exercise counts, what it lost by coming late, and the total
of each learner."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Literal

import msgspec
from msgspec import Struct

from muddled_orchard.core.base.phrases import time_text
from muddled_orchard.core.course.allowances import NOTHING_ALLOWED, Allowance, Allowances
from muddled_orchard.core.course.plan import Attempts, CoursePlan, Late
from muddled_orchard.core.course.records import Work
from muddled_orchard.core.grading.settling import ALL, Settlement

_DAY = 86_400
_NO_ATTEMPT = ("untouched", "unreadable")

Known = Literal["newest commit", "first graded"]


class Attempt(msgspec.Struct, frozen=True, kw_only=True, gc=False):
    """One attempt of a learner at an exercise: where it lay, its percentage as graded, when it was made (in
    seconds since 1970) and by what that is known, the work itself, and how many days it was late."""

    learner: str
    exercise: str
    submission: str
    percent: float
    time: float
    known: Known
    work: Work
    days_late: int = 0
    lost: float = 0.0
    """How many percent of its points it loses by that."""

    @property
    def made(self) -> str:
        """When it was made, in UTC."""
        return time_text(self.time)

    @property
    def counted(self) -> float:
        """The percentage that counts."""
        return round(self.percent * (1 - self.lost / 100), 1)


class ExerciseMark(msgspec.Struct, frozen=True, kw_only=True, gc=False):
    """An exercise of one learner: the attempt that counts (None: there is none), how many there were, and
    whether it is passed (None: there is no pass mark). `settled` is what a person says it is worth, in
    percent, where nothing was handed in; `due` is when theirs has to be in (None: there is no time), and
    `allowance` what is allowed to them alone."""

    exercise: str
    weight: float
    attempt: Attempt | None
    attempts: int
    passed: bool | None
    settled: float | None = None
    due: datetime | None = None
    allowance: Allowance | None = None

    @property
    def excused(self) -> bool:
        """Whether it counts nowhere."""
        return self.allowance is not None and self.allowance.due is None

    @property
    def has_result(self) -> bool:
        """Whether there is something that counts: an attempt, or what a person settled without one."""
        return self.attempt is not None or self.settled is not None

    @property
    def percent(self) -> float:
        """What counts: nothing where nothing was handed in."""
        return self.attempt.counted if self.attempt else self.settled or 0.0


class LearnerTotal(Struct, frozen=True, kw_only=True):
    """A learner's marks in the order of the course, and the total of those that were handed out and that they
    are not excused from, in percent."""

    learner: str
    marks: tuple[ExerciseMark, ...]
    percent: float
    passed: bool | None

    @property
    def counting(self) -> tuple[ExerciseMark, ...]:
        """The marks that count: those that nobody is excused from."""
        return tuple(mark for mark in self.marks if not mark.excused)


class Standing(Struct, frozen=True):
    """A course at a moment: the plan, its exercises' ids in order, every attempt, and everybody's total."""

    plan: CoursePlan
    exercises: tuple[str, ...]
    attempts: tuple[Attempt, ...]
    totals: tuple[LearnerTotal, ...]


def attempts_of(
    plan: CoursePlan,
    ids: Mapping[str, str],
    works: Iterable[Work],
    allowances: Allowances = NOTHING_ALLOWED,
) -> list[Attempt]:
    """Every attempt that gradings tell of, in the order in which they were made. `ids` are the exercises' ids
    by what the course calls their scenario.

    The same content graded again is the same attempt, with the newest result. An attempt was made when its
    newest commit was, by its own clock, but no later than the course first saw it. What a person settled as
    a whole loses nothing by being late.
    """
    rules = {ids[exercise.scenario]: exercise for exercise in plan.exercise if exercise.scenario in ids}
    last: dict[tuple[str, str, str], Work] = {}
    seen: dict[tuple[str, str, str], float] = {}
    for work in works:
        grading = work.grading
        if grading.learner is None or grading.exercise not in rules or grading.state in _NO_ATTEMPT:
            continue
        content = (work.verdicts.work if work.verdicts else "") or grading.fingerprint or grading.submission
        place = (grading.learner, grading.exercise, content)
        last[place] = work
        seen.setdefault(place, _seconds(grading.graded))
    attempts = []
    for place, work in last.items():
        grading = work.grading
        made = work.verdicts.ended if work.verdicts else 0
        by_commit = 0 < made <= seen[place]
        exercise = rules[grading.exercise]
        time = float(made) if by_commit else seen[place]
        days = _days_late(allowances.due(grading.learner or "", grading.exercise, exercise.due), time)
        late = exercise.late or plan.late
        attempts.append(
            Attempt(
                learner=place[0],
                exercise=grading.exercise,
                submission=grading.submission,
                percent=work.percent,
                time=time,
                known="newest commit" if by_commit else "first graded",
                days_late=days,
                lost=0.0 if work.settled_whole else _lost(late, days),
                work=work,
            )
        )
    return sorted(attempts, key=lambda attempt: (attempt.learner, attempt.exercise, attempt.time))


def totals(
    plan: CoursePlan,
    ids: Mapping[str, str],
    attempts: Sequence[Attempt],
    given: Iterable[tuple[str, str]],
    learners: Iterable[str],
    settlements: Iterable[Settlement] = (),
    allowances: Allowances = NOTHING_ALLOWED,
) -> list[LearnerTotal]:
    """The total of each learner, in order: over the exercises that they were handed out and are not excused
    from, each with its weight; `given` has learner and exercise of each. Where nothing was handed in, a
    person's verdict on the whole exercise counts."""
    made: dict[tuple[str, str], list[Attempt]] = {}
    for attempt in attempts:
        made.setdefault((attempt.learner, attempt.exercise), []).append(attempt)
    given = set(given)
    said = {
        (settlement.learner, settlement.exercise): round(100 * settlement.earned, 1)
        for settlement in settlements
        if settlement.about == ALL and settlement.earned is not None
    }
    found = []
    for learner in learners:
        marks = []
        for exercise in plan.exercise:
            id_ = ids.get(exercise.scenario, exercise.scenario)
            own = made.get((learner, id_), [])
            if (learner, id_) not in given and not own:
                continue
            counts = counting(own, exercise.attempts or plan.attempts)
            mark = exercise.pass_mark if exercise.pass_mark is not None else plan.pass_mark
            settled = None if counts else said.get((learner, id_))
            percent = counts.counted if counts else settled
            passed = None if mark is None else percent is not None and percent >= mark
            allowance = allowances.of(learner, id_)
            if allowance is not None and allowance.due is None:
                passed = None
            marks.append(
                ExerciseMark(
                    exercise=id_,
                    weight=exercise.weight,
                    attempt=counts,
                    attempts=len(own),
                    passed=passed,
                    settled=settled,
                    due=allowances.due(learner, id_, exercise.due),
                    allowance=allowance,
                )
            )
        percent = total_of(marks)
        counted = any(not mark.excused for mark in marks)
        passed = None if plan.pass_mark is None else counted and percent >= plan.pass_mark
        found.append(LearnerTotal(learner=learner, marks=tuple(marks), percent=percent, passed=passed))
    return found


def total_of(marks: Sequence[ExerciseMark]) -> float:
    """What marks come to together, in percent, to a tenth; what somebody is excused from doesn't count."""
    count = [mark for mark in marks if not mark.excused]
    weight = sum(mark.weight for mark in count)
    return round(sum(mark.weight * mark.percent for mark in count) / weight, 1) if weight else 0.0


def counting(attempts: Sequence[Attempt], which: Attempts) -> Attempt | None:
    """The attempt that counts: the first, the last, or the best after what it lost (of equals the last)."""
    in_order = sorted(attempts, key=lambda attempt: attempt.time)
    if not in_order:
        return None
    if which == "best":
        best = max(attempt.counted for attempt in in_order)
        return next(attempt for attempt in reversed(in_order) if attempt.counted == best)
    return in_order[0 if which == "first" else -1]


def _days_late(due: datetime | None, time: float) -> int:
    """How many days have begun since it was due."""
    return 0 if due is None else max(0, math.ceil((time - due.timestamp()) / _DAY))


def _lost(late: Late | None, days: int) -> float:
    return min(late.most, late.a_day * days) if late else 0.0


def _seconds(time: str) -> float:
    return datetime.fromisoformat(time).timestamp()
