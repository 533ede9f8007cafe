"""The tables of a course as CSV: everybody's total, and every attempt."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.base.phrases import time_text
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.totals import Standing
from muddled_orchard.reports.export.spreadsheet import csv_text

COURSE_TABLES = ("totals", "attempts")


def course_csv(table: str, learners: Mapping[str, Learner], standing: Standing) -> str:
    """One of COURSE_TABLES as CSV."""
    return csv_text(_totals(learners, standing) if table == "totals" else _attempts(standing))


def _totals(learners: Mapping[str, Learner], standing: Standing) -> Iterator[Sequence[object]]:
    more = list(dict.fromkeys(name for learner in learners.values() for name in learner.more))
    yield ("id", "name", "total", "passed", *standing.exercises, *more)
    for total in standing.totals:
        known = learners.get(total.learner)
        marks = {mark.exercise: mark.percent for mark in total.marks}
        yield (
            total.learner,
            known.name if known else total.learner,
            total.percent,
            _yes(total.passed),
            *(marks.get(exercise, "") for exercise in standing.exercises),
            *((known.more.get(name, "") if known else "") for name in more),
        )


def _attempts(standing: Standing) -> Iterator[Sequence[object]]:
    yield (
        "learner",
        "exercise",
        "submission",
        "made (UTC)",
        "known by",
        "percent",
        "days late",
        "counted",
        "counts",
    )
    counted = {
        (total.learner, mark.exercise): mark.attempt for total in standing.totals for mark in total.marks
    }
    for attempt in standing.attempts:
        yield (
            attempt.learner,
            attempt.exercise,
            attempt.submission,
            time_text(attempt.time),
            attempt.known,
            attempt.percent,
            attempt.days_late,
            attempt.counted,
            _yes(counted.get((attempt.learner, attempt.exercise)) == attempt),
        )


def _yes(what: bool | None) -> str:
    return "" if what is None else "yes" if what else "no"
