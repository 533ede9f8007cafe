"""finished: nothing is pending: no operation, no unmerged path, and the result is committed."""

from __future__ import annotations

from muddled_orchard.core.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.case import Case
from muddled_orchard.core.tasks import source_of
from muddled_orchard.core.wording import listed

_KINDS = {
    "merge": "The merge was begun but never completed",
    "squash": "A squash merge was begun and its result never committed",
    "rebase": "A rebase is still in progress",
    "cherry-pick": "A cherry-pick is still in progress",
    "revert": "A revert is still in progress",
}


def judge(case: Case) -> Outcome:
    """Whether every task came to its end."""
    evidence = case.evidence
    if evidence.unmerged:
        where = tuple(Place(path) for path in evidence.unmerged)
        begun = _KINDS.get(evidence.pending.kind if evidence.pending else "", "Something is unfinished")
        names = listed(evidence.unmerged)
        if _all_resolved(case):
            return missed(f"{begun}: {names} is resolved, but was never staged with git add.", where)
        return missed(f"{begun}: {names} is still unmerged.", where)
    if evidence.pending:
        return missed(f"{_KINDS[evidence.pending.kind]}: everything is staged, but there is no commit.")
    by_hand = [task for task in case.tasks if task.result.shape == "by hand"]
    if by_hand:
        files = [change.path for change in case.uncommitted if change.how != "untracked"]
        return missed(f"{listed(files)} was changed, but nothing was committed.")
    undone = [task for task in case.tasks if task.result.shape == "none"]
    if undone:
        done = len(case.tasks) - len(undone)
        names = listed([f"{source_of(task.step.operation)} into {task.step.operation.on}" for task in undone])
        return partly(
            f"{done} of {len(case.tasks)} merges are done; still to merge: {names}.",
            done / len(case.tasks),
        )
    return met("Nothing is pending, and the result is committed.")


def _all_resolved(case: Case) -> bool:
    """Whether no conflict of the operation under way still has its markers."""
    readings = [
        conflict.reading
        for task in case.tasks
        if task.result.in_working_tree
        for conflict in task.conflicts
        if conflict.conflict.path in case.evidence.unmerged
    ]
    return bool(readings) and all(reading is not None and not reading.markers for reading in readings)
