"""Why a person should look: two readings that earn differently, or evidence that contradicts itself."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.lines import by_lines
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria import made, markers, rules
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.doubts import (
    BlankLinesDiffer,
    BranchWithoutCommit,
    JudgedByTheEnd,
    KeyHasNoAnswer,
    NoSuchCommit,
    NotByLines,
    PossibleMarker,
    RebaseOnBranch,
    RoughReading,
    RuleUnchecked,
    TwoReadings,
)
from muddled_orchard.core.grading.kinds.finished import NotShownHere
from muddled_orchard.core.grading.readings import Doubt


def doubts(case: Case) -> Iterator[Kind]:
    """Everything that the grader can't be sure of."""
    for task in case.tasks:
        yield from map(JudgedByTheEnd, sorted(task.by_the_end))
        for conflict in task.conflicts:
            path = conflict.conflict.path
            if not conflict.accepted and conflict.asked and not case.is_own:
                yield KeyHasNoAnswer(path)
            if (
                conflict.conflict.merged
                and conflict.blob
                and not by_lines(case.texts.get(conflict.blob.id, b""))
            ):
                yield NotByLines(path)
            if conflict.reading is not None:
                yield from (_of_reading(path, doubt) for doubt in conflict.reading.doubts)
                yield from (
                    RuleUnchecked(hunk.undecided) for hunk in conflict.reading.hunks if hunk.undecided
                )
    if any(task.result.shape == "not seen" for task in case.tasks):
        yield NotShownHere()
    for path, marker in markers.possible(case):
        yield PossibleMarker(path, marker.line, marker.sign, marker.text.strip()[:40])
    yield from (RuleUnchecked(reason) for reason in rules.undecided(case))
    yield from made.doubts_about(case)
    yield from _contradictions(case)


def _of_reading(path: str, doubt: Doubt) -> Kind:
    if isinstance(doubt, int):
        return BlankLinesDiffer(path, doubt)
    return TwoReadings(path) if doubt == "two readings" else RoughReading(path)


def _contradictions(case: Case) -> Iterator[Kind]:
    """What no work with Git alone leaves behind."""
    evidence, pending = case.evidence, case.evidence.pending
    if pending is not None:
        for id_ in pending.brings:
            if id_ not in case.commits:
                yield NoSuchCommit(pending.kind, id_)
        if pending.kind == "rebase" and evidence.head is not None:
            yield RebaseOnBranch(evidence.head)
    if evidence.head is not None and evidence.head_commit is None and case.key.refs:
        yield BranchWithoutCommit(evidence.head)
