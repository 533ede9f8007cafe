"""A repository that was handed out with some of the work done: what was given earns nothing.

An instructor makes one with `plant --at STEP`, to begin a demonstration anywhere. The state that was given is
assessed like a submission; what it would earn is neither earned by a learner nor asked of them.
"""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, missed, partly
from muddled_orchard.core.grading.finding import Kind, kept
from muddled_orchard.core.grading.kinds.attempted import HandedOutAt, NothingAttempted, WasGiven


class Given(Struct, frozen=True):
    """What the state after a step would earn: its share of each criterion, in their order, and the id of that
    work (see `core.submission.identity`)."""

    shares: tuple[float, ...]
    work: str


def given_by(assessment: Assessment) -> Given:
    """What is given with a state that is assessed so."""
    return Given(tuple(criterion.outcome.share for criterion in assessment.criteria), assessment.work)


def without_given(assessment: Assessment, given: Given, step: str) -> Assessment:
    """An assessment of what grew from the state after a step of the walkthrough."""
    told = (kept(HandedOutAt(step)), *assessment.doubts)
    criteria = tuple(
        _without(mine, share, step) for mine, share in zip(assessment.criteria, given.shares, strict=True)
    )
    nothing_left = not any(criterion.possible for criterion in criteria)
    if assessment.work == given.work or nothing_left:
        why: Kind = WasGiven(step) if nothing_left else NothingAttempted()
        criteria = tuple(_nothing(criterion, why) for criterion in assessment.criteria)
        return replace(assessment, state="untouched", criteria=criteria, hunks=(), doubts=told)
    return replace(assessment, criteria=criteria, doubts=told)


def _without(mine: CriterionResult, given: float, step: str) -> CriterionResult:
    """A criterion less the share of it that was given."""
    outcome = mine.outcome
    if outcome.verdict == "skipped" or not given:
        return mine
    if outcome.share >= 1 and given >= 1:
        skipped = replace(outcome, verdict="skipped", findings=(kept(WasGiven(step)),), share=0.0)
        return replace(mine, outcome=skipped, points=0.0, possible=0.0)
    if given >= 1:
        spoilt = missed((), outcome.where)
        return replace(mine, outcome=replace(spoilt, findings=outcome.findings), points=0.0)
    share = max(0.0, (outcome.share - given) / (1 - given))
    left = partly((), share, outcome.where)
    possible = round(mine.possible * (1 - given), 2)
    findings = (*outcome.findings, kept(WasGiven(step, whole=False)))
    return replace(
        mine,
        outcome=replace(left, findings=findings),
        points=round(possible * share, 2),
        possible=possible,
    )


def _nothing(criterion: CriterionResult, why: Kind) -> CriterionResult:
    if criterion.outcome.verdict == "skipped":
        return criterion
    return replace(criterion, outcome=missed(why), points=0.0, possible=criterion.weight)
