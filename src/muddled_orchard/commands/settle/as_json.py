"""What needs a look, and persons' verdicts, as JSON."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.totals import Attempt
from muddled_orchard.core.grading.english import say
from muddled_orchard.core.grading.finding import restored
from muddled_orchard.show.json.shapes import about


class ToLookAtOut(TypedDict):
    """A submission that counts and needs a look."""

    learner: str
    exercise: str
    submission: str
    percent: float
    why: list[str]


class SettlementOut(TypedDict):
    """A person's verdict."""

    learner: str
    exercise: str
    about: Annotated[str, about("all, a criterion, or a conflict's full name.")]
    earned: Annotated[float | None, about("The share that it earns, 0 to 1; null: as graded.")]
    by: str
    reason: str
    made: Annotated[str, about("When, in UTC.")]


class SettleFile(TypedDict):
    """What `muddled settle --json` prints."""

    format: Literal[1]
    needs_a_look: list[ToLookAtOut]
    settled: Annotated[list[SettlementOut], about("Every verdict, the oldest first.")]


def settle_json(record: ClassRecord, waiting: Iterable[Attempt]) -> SettleFile:
    """Everything that needs a look, and every verdict, the oldest first."""
    given = [one for several in record.rules.settlements.values() for one in several]
    return {
        "format": 1,
        "needs_a_look": [
            {
                "learner": attempt.learner,
                "exercise": attempt.exercise,
                "submission": attempt.submission,
                "percent": attempt.percent,
                "why": [
                    say(restored(doubt))
                    for doubt in (attempt.work.found.doubts if attempt.work.found else ())
                ],
            }
            for attempt in waiting
        ],
        "settled": [
            {
                "learner": one.learner,
                "exercise": one.exercise,
                "about": one.about,
                "earned": one.earned,
                "by": one.by,
                "reason": one.reason,
                "made": one.made,
            }
            for one in sorted(given, key=lambda one: one.id)
        ],
    }
