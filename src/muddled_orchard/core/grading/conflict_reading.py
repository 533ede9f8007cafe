"""Read what became of one conflicted path in a result."""

from __future__ import annotations

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.trees import Blob, Tree, are_alike
from muddled_orchard.core.grading.case import Case, ConflictCase
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.readings import read_file
from muddled_orchard.core.key.accepted import Accepted, decisions_in
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.key.solution import modes_of
from muddled_orchard.core.merging.conflict import Conflict, MergeResult
from muddled_orchard.core.submission.status import is_backup


def read_conflict(
    case: Case,
    step: Step,
    result: Result,
    merge: MergeResult,
    conflict: Conflict,
    accepted: tuple[Accepted, ...],
    tree: Tree,
) -> ConflictCase:
    """What became of a conflict of a merge in a tree: what lies there, how it reads, and where it lies if it
    has another name."""
    blob = tree.get(conflict.path)
    renamed = left_at = None
    if blob is None and not all(way.gone for way in accepted):
        left_at = _left_at(case, result, merge, conflict, tree)
        renamed = None if left_at else _renamed(case, merge, conflict, tree)
        blob = tree.get(renamed or "")
    lines = case.lines(blob)
    reading = None
    if conflict.merged is not None and blob is not None and _is_of_its_kind(blob, conflict):
        reading = read_file(conflict.merged, lines, accepted, case.scenario.spacing, labels(step, result))
    return ConflictCase(
        conflict=conflict,
        accepted=accepted,
        blob=blob,
        lines=lines,
        reading=reading,
        renamed=renamed,
        left_at=left_at,
        covers=decisions_in(conflict, accepted),
        modes=modes_of(conflict, step.solved, merge.tree),
    )


def _is_of_its_kind(blob: Blob, conflict: Conflict) -> bool:
    """Whether it is a plain file where the sides have one, and not a link to one."""
    return any(are_alike(blob.mode, side.mode) for side in conflict.stages.values())


def _left_at(case: Case, result: Result, merge: MergeResult, conflict: Conflict, tree: Tree) -> str | None:
    """Where a conflicted file lies, if that is a name that one of the sides had: that is this side's
    choice."""
    sides = [case.commits[id_].tree for id_ in (result.ours, result.theirs) if id_ in case.commits]
    ids = {blob.id for blob in conflict.stages.values()}
    for path, blob in tree.items():
        elsewhere = path != conflict.path and path not in merge.tree and merge.conflict(path) is None
        had = elsewhere and any(path in side for side in sides)
        if had and (blob.id in ids or _most_alike(case, blob, conflict)):
            return path
    return None


def _renamed(case: Case, merge: MergeResult, conflict: Conflict, tree: Tree) -> str | None:
    """A new name under which a conflicted file's content lies now: the same, or most of its lines."""
    known = {*merge.tree, *(other.path for other in merge.conflicts)}
    new = [path for path in tree if path not in known and not is_backup(path)]
    ids = {blob.id for blob in conflict.stages.values()}
    for path in new:
        if tree[path].id in ids or _most_alike(case, tree[path], conflict):
            return path
    return None


def _most_alike(case: Case, blob: Blob, conflict: Conflict) -> bool:
    """Whether a file has most of its lines in common with a side."""
    lines = set(case.lines(blob))
    sides = [set(case.lines(side)) for side in conflict.stages.values()]
    return any(side and 2 * len(side & lines) > max(len(side), len(lines)) for side in sides)


def labels(step: Step, result: Result) -> frozenset[str]:
    """The names that Git may have written behind the markers of a task's conflict."""
    names = {
        "HEAD",
        step.operation.on,
        step.operation.source,
        "Updated upstream",
        "Stashed changes",
    }
    for id_ in (result.ours, result.theirs, step.commit):
        if id_ is not None:
            names |= {id_, short(id_)}
    return frozenset(names - {""})
