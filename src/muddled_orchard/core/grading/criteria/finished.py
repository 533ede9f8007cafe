"""finished: nothing is pending: no operation, no unmerged path, and the result is committed."""

from __future__ import annotations

from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly, unseen
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import few
from muddled_orchard.core.grading.kinds.finished import (
    NotCommitted,
    NotCompleted,
    NotDone,
    NothingPending,
    NotInBundle,
    NotLeft,
    Unmerged,
)


def judge(case: Case) -> Outcome:
    """Whether every task came to its end."""
    evidence = case.evidence
    if evidence.commits_alone:
        return unseen(NotInBundle("pending"))
    if evidence.pending and any(
        task.step.given_up is not None and task.result.shape == "pending" for task in case.tasks
    ):
        return missed(NotLeft(evidence.pending.kind))
    if evidence.unmerged:
        last = case.tasks[-1].result.pending if case.tasks else "merge"
        kind = evidence.pending.kind if evidence.pending else last
        names = few(evidence.unmerged)
        unmerged = Unmerged(kind, names, len(evidence.unmerged), resolved=_all_resolved(case))
        return missed(unmerged, tuple(Place(path) for path in evidence.unmerged))
    if evidence.pending:
        return missed(NotCompleted(evidence.pending.kind))
    if any(task.result.shape == "by hand" for task in case.tasks):
        files = [change.path for change in case.uncommitted if change.how != "untracked"]
        return missed(NotCommitted(few(files), len(files)))
    undone = {task.step.task: task.task for task in case.tasks if task.result.shape == "none"}
    if undone:
        count = len({task.step.task for task in case.tasks})
        names = few([case.key.told(task) for task in undone.values()])
        return partly(NotDone(names, len(undone), count), (count - len(undone)) / count)
    return met(NothingPending(committed=any(task.result.result_commit for task in case.tasks)))


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


CRITERION = Criterion(
    id="finished",
    weight=2,
    judge=judge,
    question="Is everything completed and committed?",
    right="Everything is completed.",
    tells_reason=True,
    commands=("git status",),
)
