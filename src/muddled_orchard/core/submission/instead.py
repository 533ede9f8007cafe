"""What was begun or done instead of what a task asks, and how it is taken back: seen without a key."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.steps import under_way_of
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commit, ancestors, contains
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.git.under_way import UNDER_WAY, Words
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.handed_out import new_commits


class Instead(Struct, frozen=True):
    """What was done instead on a branch, and where that stood before."""

    what: str
    branch: str
    before: str

    def back(self, head: str | None) -> Iterator[tuple[Words, str]]:
        """The commands that take it back, each with what it does, where `head` is checked out. What is not
        committed they leave alone, or refuse."""
        if head != self.branch:
            yield ("git", "switch", self.branch), "to be on the branch where that was done"
        why = f"to take it back (git reflog still names what {self.branch} had)"
        yield ("git", "reset", "--keep", self.before[:10]), why


def under_way_instead(asked: Asked, evidence: Evidence) -> str:
    """What is wrong with the operation that is under way, before it is completed; nothing where it is one
    that was asked, on its branch and the right way round."""
    pending = evidence.pending
    if pending is None:
        return ""
    alike = [task for task in asked.tasks if under_way_of(task) == pending.kind]
    if not alike:
        return f"{UNDER_WAY[pending.kind].name} is under way, and was not asked for"
    where = pending.branch or evidence.head
    if any(task.on == where for task in alike):
        return ""
    for task in alike:
        on, brings = asked.tips.get(task.on), pending.brings
        if where is not None and where == task.source and brings and on == brings[0]:
            return f"it goes the wrong way round: {task.on} into {where}"
    there = f"on {where}" if where else "on no branch"
    return f"it was begun {there}, and is asked on {alike[0].on}"


def to_be_given_up(asked: Asked, evidence: Evidence, open_tasks: Sequence[int]) -> bool:
    """Whether the operation that is under way is to be given up here: the first task of its kind and branch
    that is open (by its place) asks for that."""
    pending = evidence.pending
    if pending is None:
        return False
    where = pending.branch or evidence.head
    for place in open_tasks:
        task = asked.tasks[place]
        if under_way_of(task) == pending.kind and task.on == where:
            return task.abort
    return False


def done_instead(task: Task, asked: Asked, evidence: Evidence) -> Instead | None:
    """What was done instead of a task; None where nothing of the kind can be seen. Where other tasks are
    about the same branches, too much else may have happened to them."""
    tip, start, source = evidence.branch(task.on), asked.tips.get(task.on), task.source
    others = [other for other in asked.tasks if other is not task and not other.abort]
    if tip is None or start is None or any(other.on in (task.on, source) for other in others):
        return None
    what = next(filter(None, _told(task, tip, start, asked, evidence)), "")
    if what:
        return Instead(what, task.on, start)
    return _turned_round(task, start, asked, evidence)


def _told(task: Task, tip: str, start: str, asked: Asked, evidence: Evidence) -> Iterator[str]:
    """What the branch of a task shows that the task does not make of it."""
    commits = evidence.commits
    source = task.source
    other = asked.tips.get(source)
    new = new_commits(tip, asked, evidence)
    merges = [commit for commit in new if len(commit.parents) > 1]
    if task.abort:
        came_in = other is not None and other in commits and contains(commits, tip, other)
        replayed = any(task.shows(made, asked.commits[label]) for made in new for label in task.labels)
        if tip != start and (came_in or replayed):
            yield "it was carried out, and was to be given up"
        return
    if task.rewrites_branch and source and merges:
        yield f"{task.on} has a merge commit, and was to be rebased"
    if task.adds_commits:
        brought = ancestors(commits, tip) - ancestors(commits, start)
        if any(asked.commits[label].id in brought for label in task.labels):
            yield f"{task.on} has the other branch's own commits: they were merged, and were to be copied"
    if task.joins and other is not None and other in commits:
        yield from _of_merge(task, tip, start, other, merges, evidence)


def _of_merge(
    task: Task, tip: str, start: str, other: str, merges: Sequence[Commit], evidence: Evidence
) -> Iterator[str]:
    commits = evidence.commits
    came_in = contains(commits, tip, other)
    if came_in and not contains(commits, tip, start):
        yield f"{task.on} was rebased or set back, and was to receive a merge"
    already = contains(commits, start, other)
    if came_in and not already and task.squash:
        yield f"{task.on} has the commits of {task.source}, and was to get one plain commit (--squash)"
    if came_in and not already and task.fast_forward == "never" and not merges:
        yield f"{task.on} was only moved on, and a merge commit was asked for (--no-ff)"
    if task.fast_forward == "only" and merges:
        yield f"{task.on} has a merge commit, and a fast-forward was asked for"


def _turned_round(task: Task, start: str, asked: Asked, evidence: Evidence) -> Instead | None:
    """The other branch of a merge or rebase, where that was changed instead of the task's."""
    source = task.source
    before, now = asked.tips.get(source), evidence.branch(source)
    if is_on_remote(source) or before is None or now is None or now == before or task.abort:
        return None
    if contains(evidence.commits, now, start) and not contains(evidence.commits, before, start):
        how = "rebased" if task.rewrites_branch else "merged"
        what = f"{source} has the commits of {task.on}: it was {how} the wrong way round"
        return Instead(what, source, before)
    return None
