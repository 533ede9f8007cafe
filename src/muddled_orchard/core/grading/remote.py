"""What became of the remote that was handed out beside the repository."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.commits import contains, name_of
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.bystanders import GoneFromOrigin, OriginHas, OverwrittenAtOrigin
from muddled_orchard.core.grading.locating.gone import to_be_deleted


def overwritten(case: Case) -> Iterator[tuple[Kind, str | None]]:
    """What was thrown away at the remote though nobody asked for it, each with the commit that it is
    about."""
    for _, kind, before in _thrown_away(case):
        yield kind, before


def changes(case: Case) -> Iterator[Kind]:
    """What is otherwise at the remote than it was handed out."""
    thrown_away = {branch: kind for branch, kind, _ in _thrown_away(case)}
    for branch, now in case.remote_changes.items():
        if branch in thrown_away:
            yield thrown_away[branch]
        elif now is not None:
            yield OriginHas(branch, now)


def _thrown_away(case: Case) -> Iterator[tuple[str, Kind, str]]:
    """The branches that were deleted or overwritten there, each with what was found and the commit that is
    lost.

    Who rewrites a branch that the remote has must push it by force, and was asked to.
    """
    deleted = to_be_deleted(case.key)
    rewritten = {task.task.on for task in case.tasks if task.task.rewrites_branch}
    for branch, now in case.remote_changes.items():
        before = case.key.ids[case.key.history.remote[branch]]
        if now is None:
            if branch not in deleted:
                yield branch, GoneFromOrigin(branch), before
        elif branch in rewritten and _was_here(case, branch, before):
            continue
        elif not _contains(case, now, before):
            yield (
                branch,
                OverwrittenAtOrigin(branch, before, name_of(case.key.commits[before].author)),
                before,
            )


def _was_here(case: Case, branch: str, commit: str) -> bool:
    """Whether a commit of the remote's branch was handed out on the branch here: then it is the learner's."""
    return contains(case.commits, case.key.refs.get(branch_ref(branch), ""), commit)


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
