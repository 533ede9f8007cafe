"""Tell what of other commits came in than those that were asked for: a merge taken back as its other parent
sees it, or a commit that was not to be picked."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.revert import Revert
from muddled_orchard.core.git.commits import Commit, ancestry
from muddled_orchard.core.grading.case import Case, TaskCase
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.rest import OtherParent, PickedToo
from muddled_orchard.core.grading.locating.matching import commit_patch, patch


def other_commits(case: Case) -> Iterator[Kind]:
    """What of other commits came in, where a task is done."""
    for task in case.tasks:
        yield from _other_parent(case, task)
    for number in dict.fromkeys(task.step.task for task in case.tasks if isinstance(task.task, CherryPick)):
        yield from _picked_too(case, [task for task in case.tasks if task.step.task == number])


def _other_parent(case: Case, task: TaskCase) -> Iterator[Kind]:
    """A merge that was undone as it is seen from another parent, of which nothing was asked."""
    made, undone = (case.commits.get(id_ or "") for id_ in (task.result.result_commit, task.step.commit))
    asked = task.task.parent if isinstance(task.task, Revert) else None
    if asked is None or made is None or undone is None:
        return
    changed = commit_patch(case.commits, case.texts, made)
    back = [patch(case.texts, undone.tree, case.commits[parent].tree) for parent in undone.parents]
    if changed & back[asked - 1]:
        return
    for number, other in enumerate(back, start=1):
        if changed & other:
            yield OtherParent(made.id, number, asked)


def _picked_too(case: Case, steps: list[TaskCase]) -> Iterator[Kind]:
    """Commits beside those that were asked for that were handed out elsewhere, and say the same here."""
    tip = next((step.result.judged_commit for step in reversed(steps) if step.result.judged_commit), None)
    if tip is None:
        return
    handed_out = set(case.key.ids)
    asked = {_name(case.commits[step.step.commit or ""]) for step in steps}
    others = {_name(case.commits[id_]) for id_ in handed_out} - asked
    for commit in ancestry(case.commits, tip):
        if commit.id in handed_out:
            return
        if _name(commit) in others:
            yield PickedToo(commit.id, commit.subject)


def _name(commit: Commit) -> tuple[str, str]:
    return commit.author, commit.subject
