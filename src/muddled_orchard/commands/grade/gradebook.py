"""The class as a gradebook takes it: CSV with a row for each learner and exercise."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Iterator, Mapping, Sequence

from msgspec.structs import replace

from muddled_orchard.core.course.class_entry import ClassEntry, class_entry
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.findings import best_attempts
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.show.spreadsheet import EXCUSED, Rows

COLUMNS = (
    "id",
    "name",
    "exercise",
    "points",
    "possible",
    "percent",
    "state",
    *CRITERIA,
    "settled",
    "needs a look",
    "submission",
)
Excuses = Callable[[str, str], bool]
"""Whether a learner is excused from an exercise."""


def _nobody(learner: str, exercise: str) -> bool:  # noqa: ARG001 - it is one of Excuses
    return False


def gradebook(
    collected: Iterable[Collected],
    hand_outs: Iterable[HandOut],
    roster: Mapping[str, Learner],
    excused: Excuses = _nobody,
) -> Rows:
    """The best attempt of each; who got one of these exercises and handed nothing in, or another variant than
    theirs, has a row too; practice has none. The roster's further columns stand behind ours."""
    rows = list(_rows(collected, hand_outs, roster, excused))
    more = _more_columns(roster, {str(row[0]) for row in rows})
    return [(*COLUMNS, *more), *([*row, *_more(roster, row[0], more)] for row in rows)]


def wide_gradebook(
    collected: Iterable[Collected],
    hand_outs: Iterable[HandOut],
    roster: Mapping[str, Learner],
    excused: Excuses = _nobody,
) -> Rows:
    """A row for each learner, and a column with the points of each exercise."""
    rows = list(_rows(collected, hand_outs, roster, excused))
    exercises = list(dict.fromkeys(str(row[2]) for row in rows))
    learners = {str(row[0]): row[1] for row in rows}
    points = {(str(row[0]), str(row[2])): row[3] for row in rows}
    more = _more_columns(roster, set(learners))
    return [
        ("id", "name", *exercises, *more),
        *(
            [
                id_,
                name,
                *(points.get((id_, exercise), "") for exercise in exercises),
                *_more(roster, id_, more),
            ]
            for id_, name in learners.items()
        ),
    ]


def _more_columns(roster: Mapping[str, Learner], ids: Container[str]) -> list[str]:
    """The further columns of the roster, in its order, without those that are called as ours are."""
    names = dict.fromkeys(name for learner in roster.values() if learner.id in ids for name in learner.more)
    return [name for name in names if name and name not in COLUMNS]


def _more(roster: Mapping[str, Learner], id_: object, names: Sequence[str]) -> list[object]:
    learner = roster.get(str(id_))
    return [learner.more.get(name, "") if learner else "" for name in names]


def _rows(
    collected: Iterable[Collected],
    hand_outs: Iterable[HandOut],
    roster: Mapping[str, Learner],
    excused: Excuses,
) -> Iterator[list[object]]:
    for row in _all_rows(collected, hand_outs, roster):
        if excused(str(row[0]), str(row[2])):
            row[3], row[5], row[6] = EXCUSED, EXCUSED, "excused"
        yield row


def _all_rows(
    collected: Iterable[Collected], hand_outs: Iterable[HandOut], roster: Mapping[str, Learner]
) -> Iterator[list[object]]:
    entries: list[ClassEntry] = []
    rows: dict[int, list[object]] = {}
    for one in collected:
        # What a team handed in is the work of each of them.
        for learner in one.team or (one.learner,):
            name = one.name if not one.team else roster[learner].name if learner in roster else learner
            own = replace(one, learner=learner, name=name)
            entries.append(class_entry(own))
            rows[id(entries[-1])] = _row(own)
    best = best_attempts(entries)
    yield from (rows[id(entry)] for entry in best)
    there = {(entry.exercise, entry.learner) for entry in best}
    entries = [entry for entry in entries if entry.uncounted != "practice"]
    exercises = {entry.exercise for entry in entries}
    others = {(entry.exercise, entry.learner): entry for entry in entries if not entry.counts}
    none = [""] * len(CRITERIA)
    for hand_out in hand_outs:
        place = (hand_out.exercise, hand_out.learner)
        if hand_out.exercise in exercises and place not in there and place not in others:
            name = roster[hand_out.learner].name if hand_out.learner in roster else hand_out.learner
            yield [hand_out.learner, name, hand_out.exercise, 0, "", 0, "missing", *none, "", "", ""]
    for (exercise, learner), other in others.items():
        if (exercise, learner) not in there:
            remark = f"variant {other.variant} was not handed out to {learner}"
            yield [
                learner,
                other.name,
                exercise,
                0,
                "",
                0,
                other.uncounted,
                *none,
                "",
                remark,
                other.submission,
            ]


def _row(submission: Collected) -> list[object]:
    assessment = submission.assessment
    points = {
        criterion.id: criterion.points
        for criterion in assessment.criteria
        if criterion.outcome.verdict != "skipped"
    }
    return [
        submission.learner,
        submission.name,
        assessment.exercise,
        assessment.points,
        assessment.possible,
        assessment.percent,
        assessment.state,
        *(points.get(id_, "") for id_ in CRITERIA),
        "; ".join(thing.said for thing in settled_things(assessment)),
        "; ".join(
            (*assessment.needs_a_look, assessment.reason) if assessment.reason else assessment.needs_a_look
        ),
        submission.submission,
    ]
