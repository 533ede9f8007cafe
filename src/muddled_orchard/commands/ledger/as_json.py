"""The ledger as JSON."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.base.phrases import time_text
from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.totals import Attempt, Standing
from muddled_orchard.show.json.shapes import about, one_of


class GradingOut(TypedDict):
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


class AttemptOut(TypedDict):
    """The attempt that counts."""

    submission: str
    made: Annotated[str, about("In UTC.")]
    known_by: Annotated[str, one_of("newest commit", "first graded")]
    percent: float
    days_late: int
    counted: Annotated[float, about("The percentage after what it loses by being late.")]


class MarkOut(TypedDict):
    """An exercise of a learner."""

    exercise: str
    weight: float
    percent: float
    attempts: int
    passed: bool | None
    attempt: AttemptOut | None


class TotalOut(TypedDict):
    """A learner in a course."""

    learner: str
    percent: float
    passed: bool | None
    marks: list[MarkOut]


class CourseOut(TypedDict):
    """Where everybody stands in a course."""

    title: str
    exercises: list[str]
    totals: list[TotalOut]


class LedgerFile(TypedDict):
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
    return {
        "course": None if standing is None else _course(standing),
        "format": 1,
        "learners": [
            {"id": learner.id, "name": learner.name, **learner.more} for learner in learners.values()
        ],
        "hand_outs": list(hand_outs),
        "gradings": [
            {
                "graded": grading.graded,
                "submission": grading.submission,
                "fingerprint": grading.fingerprint,
                "version": grading.version,
                "scenario": grading.scenario,
                "exercise": grading.exercise,
                "variant": grading.variant,
                "learner": grading.learner,
                "state": grading.state,
                "points": grading.points,
                "possible": grading.possible,
            }
            for grading in gradings
        ],
    }


def _course(standing: Standing) -> CourseOut:
    return {
        "title": standing.plan.title,
        "exercises": list(standing.exercises),
        "totals": [
            {
                "learner": total.learner,
                "percent": total.percent,
                "passed": total.passed,
                "marks": [
                    {
                        "exercise": mark.exercise,
                        "weight": mark.weight,
                        "percent": mark.percent,
                        "attempts": mark.attempts,
                        "passed": mark.passed,
                        "attempt": _attempt(mark.attempt) if mark.attempt else None,
                    }
                    for mark in total.marks
                ],
            }
            for total in standing.totals
        ],
    }


def _attempt(attempt: Attempt) -> AttemptOut:
    return {
        "submission": attempt.submission,
        "made": time_text(attempt.time),
        "known_by": attempt.known,
        "percent": attempt.percent,
        "days_late": attempt.days_late,
        "counted": attempt.counted,
    }
