"""A graded submission as an entry of its class: what a line of the table and the findings on the class need.

It is small, since a class can have a hundred thousand; results themselves go to the ledger, and to the files
that are asked for.
"""

from __future__ import annotations

from functools import lru_cache
from typing import TypeVar

from msgspec import Struct

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.uncounted import Uncounted
from muddled_orchard.core.grading.assessment import Assessment, State
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.core.grading.summary import Standing, standing

_T = TypeVar("_T")


class ClassEntry(Struct, frozen=True, kw_only=True, gc=False):
    """What is called as a field of `Collected` or of its `Assessment` is that field.

    Besides: how it stands, which criteria are not met (`wrong`), what was kept in conflicts that are not
    right (`kept`), whether a person should look, whether one settled some of it, whether something was begun
    and given up, and whether the same work was graded before (`compared`). `commits` are ids as bytes.
    """

    submission: str
    learner: str
    name: str
    known: bool
    uncounted: Uncounted
    remembered: bool
    compared: bool
    exercise: str
    variant: str
    state: State
    points: float
    possible: float
    percent: float
    standing: Standing
    wrong: tuple[str, ...] = ()
    kept: tuple[str, ...] = ()
    needs_a_look: bool = False
    settled: bool = False
    given_up: bool = False
    reason: str = ""
    makers: tuple[str, ...] = ()
    commits: tuple[bytes, ...] = ()
    begun: int = 0
    team: tuple[str, ...] = ()
    work: str = ""

    @property
    def counts(self) -> bool:
        """Whether it counts for this learner."""
        return not self.uncounted

    @property
    def counted(self) -> float:
        """What it is worth to the learner, in percent."""
        return self.percent if self.counts else 0.0


def class_entry(collected: Collected) -> ClassEntry:
    """The entry of a graded submission."""
    assessment = collected.assessment
    return ClassEntry(
        submission=collected.submission,
        learner=collected.learner,
        name=collected.name,
        known=collected.known,
        uncounted=collected.uncounted,
        remembered=collected.remembered,
        compared=collected.before is not None,
        exercise=_shared(assessment.exercise),
        variant=assessment.variant,
        state=assessment.state,
        points=assessment.points,
        possible=assessment.possible,
        percent=assessment.percent,
        standing=standing(assessment),
        wrong=_shared(_wrong(assessment)),
        kept=_shared(_kept(assessment)),
        needs_a_look=bool(assessment.doubts),
        settled=bool(settled_things(assessment)),
        given_up=_given_up(assessment),
        reason=assessment.reason,
        makers=assessment.makers,
        commits=tuple(bytes.fromhex(id_) for id_ in assessment.commits),
        begun=assessment.begun,
        team=_shared(collected.team),
        work=assessment.work if collected.team else "",
    )


def _wrong(assessment: Assessment) -> tuple[str, ...]:
    return tuple(
        criterion.id for criterion in assessment.criteria if criterion.outcome.verdict in ("partly", "missed")
    )


def _kept(assessment: Assessment) -> tuple[str, ...]:
    return tuple(
        dict.fromkeys(hunk.kept for hunk in assessment.hunks if hunk.outcome in ("partly", "missed"))
    )


def _given_up(assessment: Assessment) -> bool:
    findings = (finding for criterion in assessment.criteria for finding in criterion.outcome.findings)
    return any(
        one.kind == "GivenUp" or one.values.get("rebases") or one.values.get("resets") for one in findings
    )


@lru_cache(maxsize=1024)
def _shared(value: _T) -> _T:
    """The same object for equal values: most of a class is alike."""
    return value
