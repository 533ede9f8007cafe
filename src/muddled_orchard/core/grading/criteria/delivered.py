"""delivered: the remote has the result (where a push was asked), the branch is deleted (where that was)."""

from __future__ import annotations

from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.grading.assessment import Outcome, met, partly, skipped, unseen
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds import (
    Delivered,
    NotDeleted,
    NothingToDeliver,
    NotPushed,
    RemoteUnseen,
)


def judge(case: Case) -> Outcome:
    """The share of what was to be delivered that was."""
    evidence = case.evidence
    pushed = {task.task.on for task in case.tasks if task.task.push}
    deleted = {task.task.delete for task in case.tasks if task.task.delete}
    # What the remote has of a branch that is to be gone, is to be gone as well.
    deleted_there = deleted & case.key.history.remote.keys()
    if not pushed and not deleted:
        return skipped(NothingToDeliver())
    if (pushed or deleted_there) and evidence.remote is None:
        return unseen(RemoteUnseen())
    there = evidence.remote or {}
    lacking: list[Kind] = []
    for branch in sorted(pushed):
        own, now = evidence.branch(branch), there.get(branch)
        handed_out = case.key.history.remote.get(branch)
        if now is None or own is None or now != own:
            lacking.append(NotPushed(branch, nothing=False))
        elif handed_out is not None and now == case.key.ids[handed_out] and not _moved(case, branch):
            lacking.append(NotPushed(branch, nothing=True))
    lacking += [NotDeleted(branch, at_origin=False) for branch in sorted(deleted) if evidence.branch(branch)]
    lacking += [NotDeleted(name, at_origin=True) for name in sorted(deleted_there) if name in there]
    asked = len(pushed) + len(deleted) + len(deleted_there)
    if not lacking:
        return met(Delivered(pushed=bool(pushed), deleted=bool(deleted)))
    return partly(lacking, 1 - len(lacking) / asked)


def _moved(case: Case, branch: str) -> bool:
    """Whether a branch is elsewhere than it was handed out: what origin has already needs no push."""
    ref = branch_ref(branch)
    return case.evidence.refs.get(ref) != case.key.refs.get(ref)


CRITERION = Criterion(
    id="delivered",
    weight=2,
    judge=judge,
    question="Was everything pushed and deleted that was to be?",
    right="Everything was pushed and deleted that was to be.",
    tells_reason=True,
    commands=("git branch -avv",),
)
