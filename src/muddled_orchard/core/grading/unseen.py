"""What can't be seen in a submission, and whether it is earned all the same.

A bundle shows no working tree, and a repository alone no remote. Where nobody knows more, that is skipped.
Where a course knows that it was handed out, leaving it out must not pay.
"""

from __future__ import annotations

from typing import Literal

from msgspec.structs import replace

from muddled_orchard.core.grading.assessment import Assessment, CriterionResult
from muddled_orchard.core.grading.finding import kept
from muddled_orchard.core.grading.kinds.attempted import HandInWhole

Unseen = Literal["skipped", "missed"]

UNSEEN: tuple[Unseen, ...] = ("skipped", "missed")
"""What a course can say of criteria that can't be seen; where it says nothing, BY_ITSELF are missed."""

BY_ITSELF = frozenset({"delivered"})


def unseen_word(setting: str | None) -> Unseen | None:
    """What a course's setting says, or None where it says nothing."""
    return next((word for word in UNSEEN if word == setting), None)


def held_to(assessment: Assessment, unseen: Unseen | None) -> Assessment:
    """The assessment of something that the course handed out, with what can't be seen there as the course has
    it (None: as it is by itself)."""
    criteria = tuple(_held(criterion, unseen) for criterion in assessment.criteria)
    return assessment if criteria == assessment.criteria else replace(assessment, criteria=criteria)


def _held(criterion: CriterionResult, unseen: Unseen | None) -> CriterionResult:
    outcome = criterion.outcome
    missed = unseen == "missed" or (unseen is None and criterion.id in BY_ITSELF)
    if not (outcome.unseen and missed and outcome.verdict == "skipped"):
        return criterion
    findings = (*outcome.findings, kept(HandInWhole()))
    return replace(
        criterion,
        outcome=replace(outcome, verdict="missed", findings=findings),
        possible=criterion.weight,
    )
