"""The ledger as JSON."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.totals import Standing
from muddled_orchard.show.json.shapes import about, one_of
from muddled_orchard.show.json.writing import shaped


class GradingOut(Struct):
    """One grading in the ledger, without its result."""

    graded: str
    submission: str
    fingerprint: str
    version: str
    scenario: str
    exercise: str
    variant: str
    learner: str | None
    state: str
    points: float
    possible: float


class AttemptOut(Struct, rename={"known": "known_by"}):
    """The attempt that counts."""

    submission: str
    made: Annotated[str, about("In UTC.")]
    known: Annotated[str, one_of("newest commit", "first graded")]
    percent: float
    days_late: int
    counted: Annotated[float, about("The percentage after what it loses by being late.")]


class MarkOut(Struct):
    """An exercise of a learner."""

    exercise: str
    weight: float
    percent: float
    attempts: int
    passed: bool | None
    excused: Annotated[bool, about("Whether it counts nowhere.")]
    due: Annotated[datetime | None, about("When theirs has to be in.")]
    attempt: AttemptOut | None


class TotalOut(Struct):
    """A learner in a course."""

    learner: str
    percent: float
    passed: bool | None
    marks: list[MarkOut]


class CourseOut(Struct):
    """Where everybody stands in a course."""

    title: str
    exercises: list[str]
    totals: list[TotalOut]


class LedgerFile(Struct):
    """What `muddled ledger --json` prints."""

    format: Literal[1]
    course: Annotated[CourseOut | None, about("With a course file.")]
    learners: list[dict[str, str]]
    hand_outs: list[HandOut]
    gradings: list[GradingOut]


def ledger_json(
    learners: Mapping[str, Learner],
    hand_outs: Sequence[HandOut],
    gradings: Iterable[Grading],
    standing: Standing | None = None,
) -> LedgerFile:
    """Everything but the secret and the results in full; with a course where everybody stands in it."""
    return shaped(
        LedgerFile,
        format=1,
        course=standing and shaped(CourseOut, standing, standing.plan),
        learners=[{"id": learner.id, "name": learner.name, **learner.more} for learner in learners.values()],
        hand_outs=list(hand_outs),
        gradings=[shaped(GradingOut, grading) for grading in gradings],
    )
