"""delivered: the remote has the result (where a push was asked), the branch is deleted (where that was)."""

from __future__ import annotations

from muddled_orchard.core.exercise.delivering import delivery_of
from muddled_orchard.core.git.commits import ancestors, contains
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.grading.assessment import Outcome, met, partly, skipped, unseen
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.delivered import (
    Delivered,
    NotDeleted,
    NothingToDeliver,
    NotPushed,
    RemoteUnseen,
)


def judge(case: Case) -> Outcome:
    """The share of what was to be delivered that was."""
    evidence = case.evidence
    asked = delivery_of(case.scenario.task, case.key.history.remote)
    judged = [task for task in case.scenario.task if case.judges(task)]
    gone = {task.delete for task in judged}
    pushed = asked.pushed & {task.on for task in judged if task.push}
    deleted, deleted_there = asked.deleted & gone, asked.deleted_there & gone
    if not pushed and not deleted:
        return skipped(NothingToDeliver())
    if (pushed or deleted_there) and evidence.remote is None:
        return unseen(RemoteUnseen())
    there = evidence.remote or {}
    lacking: list[Kind] = []
    for branch in sorted(pushed):
        own, now = evidence.branch(branch), there.get(branch)
        handed_out = case.key.history.remote.get(branch)
        if now is None or own is None or not _is_there(case, branch, own, now):
            lacking.append(NotPushed(branch, nothing=False))
        elif handed_out is not None and now == case.key.ids[handed_out] and not _moved(case, branch):
            lacking.append(NotPushed(branch, nothing=True))
    lacking += [NotDeleted(branch, at_origin=False) for branch in sorted(deleted) if evidence.branch(branch)]
    lacking += [NotDeleted(name, at_origin=True) for name in sorted(deleted_there) if name in there]
    if not lacking:
        return met(Delivered(pushed=bool(pushed), deleted=bool(deleted)))
    return partly(lacking, 1 - len(lacking) / (len(pushed) + len(deleted) + len(deleted_there)))


def _is_there(case: Case, branch: str, own: str, now: str) -> bool:
    """Whether origin has a branch as it is here, or as it was when the last of its tasks was done that asks
    for a push."""
    if now == own:
        return True
    asked = {number: task for number, task in enumerate(case.scenario.task, start=1) if task.on == branch}
    last = max(number for number, task in asked.items() if task.push)
    if not contains(case.commits, own, now):
        return False
    beyond = ancestors(case.commits, own) - ancestors(case.commits, now)
    goes_on = any(number > last for number in asked)
    if not goes_on and not all(case.submission.is_the_work(case.commits[id_]) for id_ in beyond):
        return False
    made = [
        task.result.result_commit for task in case.tasks if task.step.task == last and task.task.on == branch
    ]
    return all(id_ is None or contains(case.commits, now, id_) for id_ in made)


def _moved(case: Case, branch: str) -> bool:
    """Whether a branch is elsewhere than it was handed out: what origin has already needs no push."""
    ref = branch_ref(branch)
    return case.evidence.refs.get(ref) != case.key.refs.get(ref)


CRITERION = Criterion(
    id="delivered",
    weight=2,
    judge=judge,
    of_tasks=True,
    question="Was everything pushed and deleted that was to be?",
    right="Everything was pushed and deleted that was to be.",
    tells_reason=True,
    commands=("git branch -avv",),
)
