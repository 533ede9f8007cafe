"""Assessments without anything that is a learner's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from msgspec.structs import replace

from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, HunkResult, made_own
from muddled_orchard.core.grading.settling import full_name


class Anonymous(NamedTuple):
    """An assessment, and the full names that its conflicts have now, by those that they had."""

    assessment: Assessment
    names: Mapping[str, str]


def anonymous(assessment: Assessment, work: str, learners: Mapping[str, str]) -> Anonymous:
    """The assessment without what a learner has written or named: texts, names, commits, sentences. Which
    side was kept in each conflict stays; persons' verdicts are kept elsewhere. `work` is what the work is
    called instead, `learners` what each is."""
    own = made_own(assessment.criteria)
    files = {
        file: f"file-{n}" for n, file in enumerate(dict.fromkeys(one.file for one in assessment.hunks), 1)
    }
    hunks = [_own(hunk, files[hunk.file]) if own else _of_story(hunk) for hunk in assessment.hunks]
    plain = Assessment(
        exercise=assessment.exercise,
        title=assessment.title,
        variant=assessment.variant,
        state=assessment.state,
        criteria=tuple(map(_without_words, assessment.criteria)),
        hunks=tuple(hunks),
        begun=assessment.begun,
        ended=assessment.ended,
        unmet=assessment.unmet,
        conflicts_weight=assessment.conflicts_weight,
        work=work,
        asked=assessment.asked,
        parts=tuple(
            replace(
                part,
                criteria=tuple(map(_without_words, part.criteria)),
                commits=(),
                makers=(),
                pushed_by=tuple(learners[who] for who in part.pushed_by if who in learners),
            )
            for part in assessment.parts
        ),
    )
    names = zip(map(full_name, assessment.hunks), map(full_name, hunks), strict=True)
    return Anonymous(plain, dict(names))


def _without_words(criterion: CriterionResult) -> CriterionResult:
    return replace(criterion, outcome=replace(criterion.outcome, findings=(), where=()), settled=None)


def _of_story(hunk: HunkResult) -> HunkResult:
    """A conflict that was handed out: its sides are the story's."""
    return replace(
        hunk, line=None, left=None, renamed=None, left_at=None, resolved_by="", look=(), settled=None
    )


def _own(hunk: HunkResult, file: str) -> HunkResult:
    """A conflict that the learner made: both sides, their names and the file's are the learner's."""
    return HunkResult(
        task=hunk.task,
        step=hunk.step,
        commit=None,
        file=file,
        hunk=hunk.hunk,
        kept=hunk.kept,
        accepted=hunk.accepted,
        outcome=hunk.outcome,
        worth=hunk.worth,
        weight=hunk.weight,
        why=hunk.why,
        together=hunk.together,
    )
