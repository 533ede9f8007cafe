"""What became of the remote that was handed out beside the repository."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.exercise.tasks import is_rebase
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.grading.case import Case


def overwritten(case: Case) -> Iterator[tuple[str, str | None]]:
    """What was thrown away at the remote though nobody asked for it, each as a sentence with the commit that
    it is about."""
    for _, said, before in _thrown_away(case):
        yield said, before


def changes(case: Case) -> Iterator[str]:
    """What is otherwise at the remote than it was handed out, each as a sentence."""
    told = {branch: said for branch, said, _ in _thrown_away(case)}
    for branch, now in case.remote_changes.items():
        if branch in told:
            yield told[branch]
        elif now is not None:
            yield f"origin has {branch} at {short(now)} now."


def _thrown_away(case: Case) -> Iterator[tuple[str, str, str]]:
    """The branches that were deleted or overwritten there, each with a sentence and the commit that is lost.

    Who rebases a branch that the remote has must push it by force, and was asked to.
    """
    deleted = {task.task.delete for task in case.tasks}
    rebased = {task.task.on for task in case.tasks if is_rebase(task.task)}
    for branch, now in case.remote_changes.items():
        before = case.key.ids[case.key.history.remote[branch]]
        if now is None:
            if branch not in deleted:
                yield branch, f"{branch} is gone from origin.", before
        elif branch in rebased and case.key.refs.get(branch_ref(branch)) == before:
            continue
        elif not _contains(case, now, before):
            yield branch, f"{branch} was overwritten at origin: {short(before)} is no longer in it.", before


def _contains(case: Case, tip: str, ancestor: str) -> bool:
    """Whether a commit of the remote has grown from a handed-out one."""
    stack, seen = [tip], set()
    while stack:
        id_ = stack.pop()
        if id_ == ancestor:
            return True
        if id_ in seen:
            continue
        seen.add(id_)
        commit = case.commits.get(id_)
        stack.extend(commit.parents if commit else case.evidence.remote_parents.get(id_, ()))
    return False
