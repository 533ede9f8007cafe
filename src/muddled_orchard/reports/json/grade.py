"""The result file: stable keys, described by docs/schemas/grade.json."""

from __future__ import annotations

from collections.abc import Iterable

from muddled_orchard.core.course.changes import MarkChange
from muddled_orchard.core.course.findings import ClassFinding, Collected
from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, HunkResult
from muddled_orchard.reports.json.outputs import (
    CriterionOut,
    FindingOut,
    HunkOut,
    MarkChangeOut,
    ResultFile,
    SubmissionOut,
)
from muddled_orchard.reports.json.settle import settled_json
from muddled_orchard.reports.json.text import json_text


def result_file(
    results: Iterable[Collected],
    findings: Iterable[ClassFinding] = (),
    changed: Iterable[MarkChange] = (),
) -> str:
    """The whole result file as text, UTF-8 safe, with a final newline."""
    told: list[FindingOut] = [
        {"kind": finding.kind, "said": finding.said, "submissions": list(finding.submissions)}
        for finding in findings
    ]
    submissions = [_submission(result) for result in results]
    data: ResultFile = {"format": 1, "submissions": submissions, "class": told}
    marks = [_change(one) for one in changed]
    if marks:
        data["changes"] = marks
    return json_text(data)


def _change(one: MarkChange) -> MarkChangeOut:
    return {
        "submission": one.submission,
        "learner": one.learner,
        "exercise": one.exercise,
        "before": one.before,
        "after": one.after,
        "parts": [{"what": part.what, "before": part.before, "after": part.after} for part in one.parts],
        "why": one.why,
    }


def _submission(result: Collected) -> SubmissionOut:
    assessment: Assessment = result.assessment
    return {
        "submission": result.submission,
        "learner": result.learner,
        "name": result.name,
        "exercise": assessment.exercise or None,
        "variant": assessment.variant or None,
        "state": assessment.state,
        "reason": assessment.reason or None,
        "points": assessment.points,
        "possible": assessment.possible,
        "percent": assessment.percent,
        "counts": result.counts,
        "needs_a_look": list(assessment.needs_a_look),
        "notes": list(assessment.notes),
        "criteria": [_criterion(criterion) for criterion in assessment.criteria],
        "hunks": [_hunk(hunk) for hunk in assessment.hunks],
        "settled": settled_json(assessment.settled),
    }


def _criterion(criterion: CriterionResult) -> CriterionOut:
    return {
        "id": criterion.id,
        "outcome": criterion.outcome.verdict,
        "points": criterion.points,
        "possible": criterion.possible,
        "because": criterion.outcome.because,
        "where": [
            {"file": place.file, "line": place.line, "commit": place.commit}
            for place in criterion.outcome.where
        ],
        "settled": settled_json(criterion.settled),
    }


def _hunk(hunk: HunkResult) -> HunkOut:
    return {
        "task": hunk.task,
        "commit": hunk.commit,
        "file": hunk.file,
        "hunk": hunk.hunk,
        "kept": hunk.kept,
        "accepted": list(hunk.accepted),
        "outcome": hunk.outcome,
        "worth": hunk.worth,
        "weight": hunk.weight,
        "settled": settled_json(hunk.settled),
    }
