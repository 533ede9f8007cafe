"""What needs a look, and persons' verdicts, as JSON."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.totals import Attempt
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import shaped


class ToLookAtOut(Struct):
    """A submission that counts and needs a look."""

    learner: str
    exercise: str
    submission: str
    percent: float
    why: list[str]


class SettlementOut(Struct):
    """A person's verdict."""

    learner: str
    exercise: str
    about: Annotated[str, about("all, a criterion, or a conflict's full name.")]
    earned: Annotated[float | None, about("The share that it earns, 0 to 1; null: as graded.")]
    by: str
    reason: str
    made: Annotated[str, about("When, in UTC.")]


class AllowanceOut(Struct):
    """What is allowed to one learner."""

    learner: str
    exercise: str
    due: Annotated[datetime | None, about("When theirs has to be in; null: they are excused.")]
    by: Annotated[str, about("Empty: the course file says so.")]
    reason: str


class SettleFile(Struct):
    """What `muddled settle --json` prints."""

    format: Literal[1]
    needs_a_look: list[ToLookAtOut]
    settled: Annotated[list[SettlementOut], about("Every verdict, the oldest first.")]
    allowed: Annotated[list[AllowanceOut], about("Who has more time for what, or is excused.")]


def settle_json(record: ClassRecord, waiting: Iterable[Attempt]) -> SettleFile:
    """Everything that needs a look, and every verdict, the oldest first."""
    settlements = [settlement for several in record.rules.settlements.values() for settlement in several]
    needs_a_look = [
        shaped(
            ToLookAtOut,
            attempt,
            why=[
                restored(finding).said
                for finding in (attempt.work.verdicts.doubts if attempt.work.verdicts else ())
            ],
        )
        for attempt in waiting
    ]
    return shaped(
        SettleFile,
        format=1,
        needs_a_look=needs_a_look,
        settled=sorted(settlements, key=lambda settlement: settlement.id),
        allowed=[
            mark.allowance for total in record.standing.totals for mark in total.marks if mark.allowance
        ],
    )
