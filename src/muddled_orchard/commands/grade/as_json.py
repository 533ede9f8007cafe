"""The result file: stable keys, described by docs/schemas/grade.json."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

from msgspec import UNSET, Meta, Struct, UnsetType

from muddled_orchard.core.course.changes import MarkChange
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.core.course.uncounted import Uncounted
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.merging.keep import KEEP, NOT_IN_KEYS
from muddled_orchard.show.json.shapes import Line, Number, State, Verdict, about, one_of
from muddled_orchard.show.json.verdict import SettledOut
from muddled_orchard.show.json.writing import json_text, shaped


class PlaceOut(Struct):
    """Where something is, as far as that can be said."""

    file: str | None
    line: Line | None
    commit: str | None


class CriterionOut(Struct, rename={"verdict": "outcome"}):
    """A criterion's verdict."""

    id: Annotated[str, one_of(*CRITERIA)]
    verdict: Verdict
    points: Number
    possible: Annotated[Number, about("0 where it was skipped.")]
    because: Annotated[str, about("Why, in words for the learner; with --for-learner the hint.")]
    where: list[PlaceOut]
    settled: Annotated[SettledOut | None, about("A person's verdict on it.")]


class HunkOut(Struct):
    """What became of one conflict."""

    task: Line
    commit: Annotated[str | None, about("In a replay, the commit's label or id; null in a merge.")]
    file: str
    hunk: Annotated[Line | None, about("Its number as Git shows them; null where a whole path conflicts.")]
    kept: Annotated[str, one_of(*KEEP, *NOT_IN_KEYS)]
    accepted: Annotated[list[str], about("The key's words; empty with --for-learner until all is right.")]
    outcome: Literal["met", "partly", "missed", "skipped"]
    worth: Annotated[float, about("The share of its points that it earns, 0 to 1.")]
    weight: Annotated[float, about("How much it counts among the conflicts.")]
    resolved_by: Annotated[str, about("Who did, where several made conflicts together; else empty.")]
    settled: Annotated[SettledOut | None, about("A person's verdict on it.")]


class SubmissionOut(Struct):
    """One submission, graded."""

    submission: Annotated[str, about("Where it was found.")]
    learner: Annotated[str, about("The id in the ledger, else the name that it was handed in under.")]
    name: Annotated[str, about("That person's name in the roster, else the same.")]
    exercise: Annotated[str | None, about("The scenario's id; null where it could not be told.")]
    variant: Annotated[str | None, about("The variant's code; null where it could not be told.")]
    role: Annotated[
        int, about("The role in a team of which this is the share; 0 where it is all of the work.")
    ]
    state: State
    reason: Annotated[str | None, about("Why it is unreadable; null otherwise.")]
    points: Number
    possible: Annotated[Number, about("The points of everything that was assessed.")]
    percent: Annotated[float, Meta(ge=0, le=100)]
    counts: Annotated[bool, about("Whether it counts for this learner.")]
    uncounted: Annotated[
        Uncounted, about("Why it doesn't count: not what they were handed out, or of a drill; else empty.")
    ]
    needs_a_look: Annotated[list[str], about("Why a person should look; empty where the grader is sure.")]
    notes: Annotated[list[str], about("How the learner worked, from the reflog: told, never marked.")]
    criteria: list[CriterionOut]
    hunks: list[HunkOut]
    settled: Annotated[SettledOut | None, about("A person's verdict on the whole exercise.")]


class FindingOut(Struct):
    """What a pile shows as a whole: told, never marked."""

    kind: Annotated[
        str, one_of("unknown", "another's", "dated", "missing", "attempts", "shared", "passed over")
    ]
    said: str
    submissions: list[str]


class PartOut(Struct):
    """A criterion or a conflict that is judged otherwise, in words."""

    what: str
    before: str
    after: str


class MarkChangeOut(Struct):
    """A submission whose mark is not what it was when the same work was last graded."""

    submission: str
    learner: str
    exercise: str
    before: Annotated[float, about("In percent.")]
    after: Annotated[float, about("In percent.")]
    parts: list[PartOut]
    why: str


class ResultFile(Struct, rename={"findings": "class"}):
    """The result file of `muddled grade --json`."""

    format: Literal[1]
    submissions: list[SubmissionOut]
    findings: list[FindingOut] | UnsetType = UNSET
    changes: list[MarkChangeOut] | UnsetType = UNSET


def result_file(
    results: Iterable[Collected],
    findings: Iterable[ClassFinding] = (),
    changed: Iterable[MarkChange] = (),
) -> str:
    """The whole result file as text, UTF-8 safe, with a final newline."""
    submissions = [_submission(result) for result in results]
    marks = list(changed)
    return json_text(
        shaped(ResultFile, format=1, submissions=submissions, findings=list(findings), changes=marks or UNSET)
    )


def _submission(result: Collected) -> SubmissionOut:
    assessment = result.assessment
    may_lack = {name: getattr(assessment, name) or None for name in ("exercise", "variant", "reason")}
    return shaped(SubmissionOut, assessment, result, percent=assessment.percent, **may_lack)
