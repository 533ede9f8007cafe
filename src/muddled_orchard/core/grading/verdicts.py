"""What a grading found, without its words and texts: the verdicts, and what was kept in each conflict.

A class has thousands of results, and most of a result is text. This is read in a twentieth of the time that
an `Assessment` takes.
"""

from __future__ import annotations

import msgspec

from muddled_orchard.core.grading.assessment import Assessment, State, Verdict, percent_of
from muddled_orchard.core.grading.finding import Finding


class OutcomeVerdict(msgspec.Struct, frozen=True, gc=False):
    """An `Outcome`: its verdict, and the share (0 to 1) of its points that it earns."""

    verdict: Verdict
    share: float = 0.0
    unseen: bool = False


class CriterionVerdict(msgspec.Struct, frozen=True, gc=False):
    """A `CriterionResult`."""

    id: str
    outcome: OutcomeVerdict
    points: float
    possible: float


class ConflictVerdict(msgspec.Struct, frozen=True, gc=False):
    """A `HunkResult`."""

    task: int
    commit: str | None
    file: str
    hunk: int | None
    kept: str
    outcome: Verdict
    worth: float = 0.0
    step: int = 0
    base: str | None = None
    ours: str | None = None
    theirs: str | None = None
    left: str | None = None


class SettledVerdict(msgspec.Struct, frozen=True, gc=False):
    """That a person settled all of it: the share (0 to 1) that is earned, or None, as graded."""

    earned: float | None = None


class Verdicts(msgspec.Struct, frozen=True, gc=False):
    """An `Assessment`; its fields are the same."""

    state: State
    criteria: tuple[CriterionVerdict, ...]
    hunks: tuple[ConflictVerdict, ...]
    doubts: tuple[Finding, ...] = ()
    commits: tuple[str, ...] = ()
    begun: int = 0
    ended: int = 0
    unmet: int = 0
    work: str = ""
    settled: SettledVerdict | None = None

    @property
    def percent(self) -> float:
        """The share of the points that was earned, in percent, to a tenth."""
        return percent_of(self.criteria, self.settled)


def verdicts(assessment: Assessment) -> Verdicts:
    """The verdicts of an assessment."""
    return msgspec.convert(assessment, Verdicts, from_attributes=True)
