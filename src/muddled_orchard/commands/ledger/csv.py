"""The tables of the ledger, to take elsewhere."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner

TABLES = ("hand-outs", "gradings", "learners")


def ledger_rows(
    table: str, learners: Mapping[str, Learner], hand_outs: Iterable[HandOut], gradings: Iterable[Grading]
) -> Iterator[Sequence[object]]:
    """One of TABLES, the names of its columns first."""
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
