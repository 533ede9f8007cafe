"""The class as a gradebook takes it: CSV with a row for each learner and exercise."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence

from muddled_orchard.core.collected import Collected, best_attempts
from muddled_orchard.core.handing import HandOut
from muddled_orchard.core.roster import Learner
from muddled_orchard.core.scenario import CRITERIA
from muddled_orchard.reports.terminal import printable

COLUMNS = (
    "id",
    "name",
    "exercise",
    "points",
    "possible",
    "percent",
    "state",
    *CRITERIA,
    "needs a look",
    "submission",
)
NOT_THEIRS = "not theirs"
"""The state of a row whose submission is another variant than this learner's."""


def gradebook(
    collected: Sequence[Collected], hand_outs: Iterable[HandOut], roster: Mapping[str, Learner]
) -> str:
    """The best attempt of each; who got one of these exercises and handed nothing in, or another variant than
    theirs, has a row too."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    rows = best_attempts(collected)
    for one in rows:
        writer.writerow([cell(value) for value in _row(one)])
    there = {(one.assessment.exercise, one.learner) for one in rows}
    exercises = {one.assessment.exercise for one in collected}
    others = {(one.assessment.exercise, one.learner): one for one in collected if not one.counts}
    for given in hand_outs:
        place = (given.exercise, given.learner)
        if given.exercise in exercises and place not in there and place not in others:
            name = roster[given.learner].name if given.learner in roster else given.learner
            row = [given.learner, name, given.exercise, 0, "", 0, "missing", *[""] * len(CRITERIA), "", ""]
            writer.writerow([cell(value) for value in row])
    for (exercise, learner), other in others.items():
        if (exercise, learner) not in there:
            said = f"variant {other.assessment.variant} was not handed out to {learner}"
            row = [
                learner,
                other.name,
                exercise,
                0,
                "",
                0,
                NOT_THEIRS,
                *[""] * len(CRITERIA),
                said,
                other.submission,
            ]
            writer.writerow([cell(value) for value in row])
    return out.getvalue()


def _row(one: Collected) -> list[object]:
    assessment = one.assessment
    points = {
        criterion.id: criterion.points
        for criterion in assessment.criteria
        if criterion.outcome.verdict != "skipped"
    }
    return [
        one.learner,
        one.name,
        assessment.exercise,
        assessment.points,
        assessment.possible,
        assessment.percent,
        assessment.state,
        *(points.get(id_, "") for id_ in CRITERIA),
        "; ".join(
            (*assessment.needs_a_look, assessment.reason) if assessment.reason else assessment.needs_a_look
        ),
        one.submission,
    ]


def cell(value: object) -> object:
    """A spreadsheet takes text that begins like this for a formula; names come from whoever handed in."""
    if not isinstance(value, str):
        return value
    text = printable(value)
    return f"'{text}" if text.startswith(("=", "+", "-", "@")) else text
