"""The tables of the ledger as CSV."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.reports.export.spreadsheet import csv_text

TABLES = ("hand-outs", "gradings", "learners")


def ledger_csv(
    table: str, learners: Mapping[str, Learner], hand_outs: Sequence[HandOut], gradings: Sequence[Grading]
) -> str:
    """One of TABLES as CSV."""
    return csv_text(_rows(table, learners, hand_outs, gradings))


def _rows(
    table: str, learners: Mapping[str, Learner], hand_outs: Sequence[HandOut], gradings: Sequence[Grading]
) -> Iterator[Sequence[object]]:
    if table == "learners":
        more = list(dict.fromkeys(name for learner in learners.values() for name in learner.more))
        yield ("id", "name", *more)
        yield from (
            (learner.id, learner.name, *(learner.more.get(name, "") for name in more))
            for learner in learners.values()
        )
    elif table == "hand-outs":
        yield ("exercise", "learner", "variant", "first commit", "file", "made")
        yield from ((o.exercise, o.learner, o.variant, o.first_commit, o.file, o.made) for o in hand_outs)
    else:
        yield (
            "graded",
            "submission",
            "exercise",
            "variant",
            "learner",
            "state",
            "points",
            "possible",
            "version",
        )
        for g in gradings:
            yield (
                g.graded,
                g.submission,
                g.exercise,
                g.variant,
                g.learner or "",
                g.state,
                g.points,
                g.possible,
                g.version,
            )
