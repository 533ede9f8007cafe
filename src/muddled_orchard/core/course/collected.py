"""A graded submission with its owner."""

from __future__ import annotations

from msgspec import Struct

from muddled_orchard.core.course.uncounted import Uncounted
from muddled_orchard.core.grading.assessment import Assessment


class Before(Struct, frozen=True):
    """What the same work came to when it was last graded, as it would count now, and what was changed
    since."""

    assessment: Assessment
    why: str


class Collected(Struct, frozen=True, kw_only=True):
    """A graded submission: where it lay, whose it is by the ledger (else by its name), that person's name,
    whether its hand-out is in the ledger, and whether its grading was taken from there.

    `team` has all who share it, where a team does; then `learner` is the first of them. `before` is what it
    was, where it was graded again. `uncounted`: why it doesn't count (empty: it does); it is not theirs where
    the ledger handed the exercise out, and not in this variant.
    """

    submission: str
    learner: str
    name: str
    known: bool
    assessment: Assessment
    remembered: bool = False
    uncounted: Uncounted = ""
    before: Before | None = None
    team: tuple[str, ...] = ()

    @property
    def counts(self) -> bool:
        """Whether it counts for this learner."""
        return not self.uncounted

    @property
    def percent(self) -> float:
        """What it is worth to the learner, in percent."""
        return self.assessment.percent if self.counts else 0.0
