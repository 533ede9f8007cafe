"""Why a person should look: two readings that earn differently, or evidence that contradicts itself."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.exercise.tasks import is_stash_pop
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.lines import by_lines
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria import markers, rules


def doubts(case: Case) -> Iterator[str]:
    """Everything that the grader can't be sure of, each as a short sentence."""
    for task in case.tasks:
        for conflict in task.conflicts:
            path = conflict.conflict.path
            if not conflict.accepted and conflict.asked:
                yield f"{path} conflicts, and the key has no answer for it"
            if (
                conflict.conflict.merged
                and conflict.blob
                and not by_lines(case.texts.get(conflict.blob.id, b""))
            ):
                yield f"{path} is binary now, or too large to be read line by line"
            if conflict.reading is not None:
                yield from (f"{path}: {doubt}" for doubt in conflict.reading.doubts)
    for path, marker in markers.possible(case):
        yield f"{path}, line {marker.line}: this may be {marker.sign} ({marker.text.strip()[:40]})"
    yield from rules.undecided(case)
    yield from _contradictions(case)


def _contradictions(case: Case) -> Iterator[str]:
    """What no work with Git alone leaves behind."""
    evidence, pending = case.evidence, case.evidence.pending
    pops = any(is_stash_pop(task.task) for task in case.tasks)
    if evidence.unmerged and pending is None and not (pops or evidence.stashes):
        yield "the index holds unmerged paths, though no operation is under way"
    if pending is not None:
        for id_ in pending.brings:
            if id_ not in case.commits:
                yield f"a {pending.kind} of {short(id_)} is under way, but there is no such commit"
        if pending.kind == "rebase" and evidence.head is not None:
            yield f"a rebase is under way, though HEAD is on {evidence.head} and not detached"
    if evidence.head is not None and evidence.head_commit is None and case.key.refs:
        yield f"HEAD is on {evidence.head}, which has no commit"
