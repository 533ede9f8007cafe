"""A course as its author wrote it: plain frozen data, one class for each table of the file.

The field names are the file's keys, and the docstrings of the fields are the documentation of the format.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.course.allowances import Allowance

Attempts = Literal["best", "last", "first"]

RolesGiven = Literal["roster", "swapped", "chosen"]
"""How roles come to those of a team: by the roster's order, the other way round, or as they choose."""

Feedback = Literal["none", "hints", "criteria", "full"]
"""What a learner hears of a push: that it came; hints; also which criteria are met; also what was wanted."""

MOST_WEIGHT = 1000.0


class Late(Struct, frozen=True, kw_only=True):
    """What late work costs."""

    a_day: float
    """How many percent of its points it loses for each day that has begun since the exercise was due."""
    most: float = 100.0
    """How many percent it can lose at most."""

    def __post_init__(self) -> None:
        for percent in (self.a_day, self.most):
            if not 0 <= percent <= 100:
                raise ValueError(f"late is in percent, from 0 to 100, not {percent:g}")


class CourseExercise(Struct, frozen=True, kw_only=True):
    """One exercise of a course."""

    scenario: str
    """The scenario's file, beside the course file or below it, or the id of a bundled one."""
    weight: float = 1.0
    """How much it counts in the total."""
    opens: datetime | None = None
    """When it is handed out, with its time zone; earlier it is held back."""
    due: datetime | None = None
    """When work has to be in, with its time zone; what comes later is late."""
    late: Late | None = None
    """What late work costs (default: the course's)."""
    attempts: Attempts | None = None
    """Which attempt counts (default: the course's)."""
    pass_mark: float | None = None
    """The percentage from which it is passed (default: the course's)."""
    feedback: Feedback | None = None
    """What a learner hears of a push to `muddled host` (default: the course's)."""
    feedback_after_due: Feedback | None = None
    """The same from when it is due on (default: the course's)."""
    team: bool = False
    """Whether those who have the same `team` in the roster have one variant and one result together."""
    roles: RolesGiven = "roster"
    """Which of a team has which role, where the scenario has roles: the first one of the roster role 1, the
    second one role 2, a third one role 1 again; `"swapped"`: the other way round, as for the next exercise;
    `"chosen"`: as they choose on the page of `muddled host`, first come."""
    again: bool = False
    """Whether learners may take another variant on the pages of `muddled host`, as often as they like."""

    def __post_init__(self) -> None:
        if not self.scenario.strip():
            raise ValueError("scenario is empty: which exercise is it?")
        if not 0 <= self.weight <= MOST_WEIGHT:
            raise ValueError(f"a weight is from 0 to {MOST_WEIGHT:g}, not {self.weight:g}")
        _check_mark(self.pass_mark)
        for time in (self.opens, self.due):
            _check_zone(time)
        if self.opens and self.due and self.opens >= self.due:
            raise ValueError("it is due before it opens")


class Extension(Struct, frozen=True, kw_only=True):
    """More time for one learner."""

    learner: str
    """The learner's id in the roster."""
    exercise: str
    """The exercise's id."""
    due: datetime
    """When their work has to be in, with its time zone."""
    reason: str = ""
    """Why; the learner reads it too."""

    def __post_init__(self) -> None:
        _check_zone(self.due)


class Excused(Struct, frozen=True, kw_only=True):
    """A learner for whom an exercise counts nowhere."""

    learner: str
    """The learner's id in the roster."""
    exercise: str
    """The exercise's id."""
    reason: str = ""
    """Why; the learner reads it too."""


class CoursePlan(Struct, frozen=True, kw_only=True):
    """A whole course: its exercises in order, and the settings of the commands that work on a class."""

    title: str = "A course"
    """The course's name for people."""
    ledger: str = "orchard.db"
    """The course's database, beside the course file."""
    roster: str | None = None
    """The roster that is handed out to, beside the course file."""
    out: str | None = None
    """The folder that hand-outs go to, beside the course file."""
    pack: str | None = None
    """What each learner gets, as in `muddled handout --pack`."""
    late: Late | None = None
    """What late work costs (default: nothing)."""
    attempts: Attempts = "best"
    """Which attempt counts: `"best"`, `"last"` or `"first"`."""
    pass_mark: float | None = None
    """The percentage from which an exercise, and the course, is passed."""
    feedback: Feedback = "hints"
    """What a learner hears of a push to `muddled host`: `"none"`, `"hints"`, `"criteria"` or `"full"`."""
    feedback_after_due: Feedback | None = None
    """The same from when an exercise is due on (default: what was told before)."""
    drill: tuple[str, ...] = ()
    """What learners drill in this course: operations and kinds of conflict."""
    exercise: tuple[CourseExercise, ...]
    """The exercises, in order."""
    extension: tuple[Extension, ...] = ()
    """Who has more time for an exercise."""
    excused: tuple[Excused, ...] = ()
    """Who is excused from an exercise."""

    def __post_init__(self) -> None:
        _check_mark(self.pass_mark)
        if not self.exercise:
            raise ValueError("a course needs at least one [[exercise]]")
        if not any(exercise.weight for exercise in self.exercise):
            raise ValueError("all weights are 0: nothing would count")

    @property
    def allowances(self) -> tuple[Allowance, ...]:
        """What single persons are allowed."""
        more = (
            Allowance(learner=one.learner, exercise=one.exercise, due=one.due, reason=one.reason)
            for one in self.extension
        )
        free = (
            Allowance(learner=one.learner, exercise=one.exercise, due=None, reason=one.reason)
            for one in self.excused
        )
        return (*more, *free)


def feedback_at(plan: CoursePlan, exercise: CourseExercise, due: datetime | None, now: datetime) -> Feedback:
    """What a learner hears of a push at a moment, whose work is `due` then."""
    before = exercise.feedback or plan.feedback
    if due is None or now < due:
        return before
    return exercise.feedback_after_due or plan.feedback_after_due or before


def _check_zone(time: datetime | None) -> None:
    if time is not None and time.tzinfo is None:
        raise ValueError("a time needs its time zone, as in 2031-09-01T08:00:00+02:00")


def _check_mark(mark: float | None) -> None:
    if mark is not None and not 0 <= mark <= 100:
        raise ValueError(f"a pass mark is a percentage, not {mark:g}")
