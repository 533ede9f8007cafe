"""The tables of a course, to take elsewhere: everybody's total, every mark, every attempt."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.base.phrases import time_text
from muddled_orchard.core.course.allowances import time_with_zone
from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.totals import ExerciseMark, LearnerTotal
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.grading.settling import Settlement, in_force
from muddled_orchard.show.spreadsheet import EXCUSED, Rows

COURSE_TABLES = ("totals", "marks", "attempts")


def course_rows(table: str, record: ClassRecord) -> Rows:
    """One of COURSE_TABLES, the names of its columns first."""
    return {"totals": _totals, "marks": _marks, "attempts": _attempts}[table](record)


def _totals(record: ClassRecord) -> Iterator[Sequence[object]]:
    """A row a learner: what counts of each exercise, and the total by their weights, in percent."""
    more = _more_names(record)
    standing = record.standing
    yield ("id", "name", "total", "passed", *standing.exercises, *more)
    for total in standing.totals:
        marks = {mark.exercise: EXCUSED if mark.excused else mark.percent for mark in total.marks}
        yield (
            total.learner,
            record.learners[total.learner].name,
            total.percent if total.counting or not total.marks else EXCUSED,
            _yes(total.passed),
            *(marks.get(exercise, "") for exercise in standing.exercises),
            *_more(record, total, more),
        )


_MARKS = (
    "id", "name", "exercise", "title", "weight", "percent", "graded percent", "state", "attempts",
    "due", "days late", "lost percent", "passed", "settled", "needs a look", "submission",
)  # fmt: skip


def _marks(record: ClassRecord) -> Iterator[Sequence[object]]:
    """A row for each learner and exercise. `percent` counts; `graded percent` is before what it lost."""
    more = _more_names(record)
    yield (*_MARKS, *more)
    for total in record.standing.totals:
        for mark in total.marks:
            attempt = mark.attempt
            verdicts = attempt.work.verdicts if attempt else None
            yield (
                total.learner,
                record.learners[total.learner].name,
                mark.exercise,
                record.title(mark.exercise),
                mark.weight,
                EXCUSED if mark.excused else mark.percent,
                attempt.percent if attempt else "",
                "excused" if mark.excused else attempt.work.grading.state if attempt else "none",
                mark.attempts,
                time_with_zone(mark.due) if mark.due and not mark.excused else "",
                attempt.days_late if attempt else "",
                attempt.lost if attempt else "",
                _yes(mark.passed),
                "; ".join((*_allowed(mark), *map(_said, _settled(record, total.learner, mark)))),
                "; ".join(restored(doubt).said for doubt in verdicts.doubts) if verdicts else "",
                attempt.submission if attempt else "",
                *_more(record, total, more),
            )


def _settled(record: ClassRecord, learner: str, mark: ExerciseMark) -> Sequence[Settlement]:
    verdicts = mark.attempt.work.verdicts if mark.attempt else None
    settlements = record.rules.settlements.get((learner, mark.exercise), ())
    return in_force(settlements, verdicts.work if verdicts else "")


def _allowed(mark: ExerciseMark) -> Iterator[str]:
    """That somebody has more time, or is excused, and by whom."""
    if mark.allowance is not None:
        what = "excused" if mark.excused else "more time"
        by = f" by {mark.allowance.by}" if mark.allowance.by else ""
        yield f"{what}{by}" + (f": {mark.allowance.reason}" if mark.allowance.reason else "")


def _said(settlement: Settlement) -> str:
    earned = "as graded" if settlement.earned is None else f"{100 * settlement.earned:.3g} %"
    return f"{settlement.about} {earned} by {settlement.by}" + (
        f": {settlement.reason}" if settlement.reason else ""
    )


def _attempts(record: ClassRecord) -> Iterator[Sequence[object]]:
    """A row an attempt."""
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
    counting = {id(mark.attempt) for total in record.standing.totals for mark in total.counting}
    for attempt in record.standing.attempts:
        yield (
            attempt.learner,
            attempt.exercise,
            attempt.submission,
            time_text(attempt.time),
            attempt.known,
            attempt.percent,
            attempt.days_late,
            attempt.counted,
            _yes(id(attempt) in counting),
        )


def _more_names(record: ClassRecord) -> list[str]:
    """The further columns of the roster, in its order."""
    return list(dict.fromkeys(name for learner in record.learners.values() for name in learner.more))


def _more(record: ClassRecord, total: LearnerTotal, names: Sequence[str]) -> Iterator[str]:
    known = record.learners.get(total.learner)
    return (known.more.get(name, "") if known else "" for name in names)


def _yes(what: bool | None) -> str:  # noqa: FBT001 - it is all that it is about
    return "" if what is None else "yes" if what else "no"
