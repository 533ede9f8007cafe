"""finished: nothing is pending: no operation, no unmerged path, and the result is committed."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import be, listed, was
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.git.under_way import UNDER_WAY
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly, unseen
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion


def judge(case: Case) -> Outcome:
    """Whether every task came to its end."""
    if case.evidence.commits_alone:
        return unseen("A bundle holds commits alone: whether anything is still pending can't be seen.")
    evidence = case.evidence
    if evidence.unmerged:
        where = tuple(Place(path) for path in evidence.unmerged)
        kind = evidence.pending.kind if evidence.pending else case.tasks[-1].result.pending
        begun = UNDER_WAY[kind].unfinished if kind in UNDER_WAY else "Something is unfinished"
        names, count = listed(evidence.unmerged), len(evidence.unmerged)
        if _all_resolved(case):
            said = f"{names} {be(count)} resolved, but {was(count)} never staged with git add"
            return missed(f"{begun}: {said}.", where)
        return missed(f"{begun}: {names} {be(count)} still unmerged.", where)
    if evidence.pending:
        begun = UNDER_WAY[evidence.pending.kind].unfinished
        return missed(f"{begun}: nothing is unmerged any more, but it was not completed.")
    by_hand = [task for task in case.tasks if task.result.shape == "by hand"]
    if by_hand:
        files = [change.path for change in case.uncommitted if change.how != "untracked"]
        return missed(f"{listed(files)} {was(len(files))} changed, but nothing was committed.")
    undone = {task.step.task: task.task for task in case.tasks if task.result.shape == "none"}
    if undone:
        count = len({task.step.task for task in case.tasks})
        names = listed([in_words(task) for task in undone.values()])
        done = count - len(undone)
        if count == 1:
            return missed(f"It was not done: {names}.")
        return partly(f"{done} of {count} tasks {be(done)} done; still to do: {names}.", done / count)
    if all(task.result.result_commit is None for task in case.tasks):
        return met("Nothing is pending.")
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


CRITERION = Criterion(
    id="finished",
    weight=2,
    judge=judge,
    question="Is everything completed and committed?",
    right="Everything is completed and committed.",
    tells_reason=True,
    commands=("git status",),
)
