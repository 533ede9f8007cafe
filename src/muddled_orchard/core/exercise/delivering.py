"""What is to be delivered when tasks are done: pushed to the remote, deleted here and there."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.refs import on_remote
from muddled_orchard.core.git.under_way import Words

FORCE = "--force-with-lease"
"""What a push needs that replaces commits: it replaces those that were seen there, and no others."""


class Delivery(Struct, frozen=True):
    """What must hold at the end: the remote has these branches as they are here, and these branches are gone,
    here and at the remote."""

    pushed: frozenset[str]
    deleted: frozenset[str]
    deleted_there: frozenset[str]

    @property
    def at_remote(self) -> bool:
        """Whether any of it is seen at the remote alone."""
        return bool(self.pushed or self.deleted_there)


def delivery_of(tasks: Sequence[Task], remote: Collection[str]) -> Delivery:
    """What tasks ask to have delivered in the end; `remote` are the branches that the remote was handed out
    with. A branch that is pushed and deleted later is not to be there any more, and what the remote has of a
    branch that is to be gone, is to be gone as well."""
    pushed: set[str] = set()
    deleted: set[str] = set()
    ever_there = set(remote)
    for task in tasks:
        if task.push:
            pushed.add(task.on)
            ever_there.add(task.on)
        if task.delete:
            deleted.add(task.delete)
            pushed.discard(task.delete)
    return Delivery(frozenset(pushed), frozenset(deleted), frozenset(deleted & ever_there))


def push_of(tasks: Sequence[Task], number: int, remote: Collection[str]) -> Words | None:
    """The `git push` that a task (by its number, from 1) asks for, if it does: by force, with lease, where
    the remote has commits of the branch that have been replaced since. `remote` are the branches that it
    was handed out with."""
    task = tasks[number - 1]
    if not task.push:
        return None
    force = task.on in _there(tasks, number, remote) and _replaced(tasks[:number], task.on)
    return ("push", *((FORCE,) if force else ()), "origin", task.on)


def deletions_of(
    tasks: Sequence[Task], number: int, remote: Collection[str], *, merged: bool = True
) -> Iterator[Words]:
    """The commands that delete what a task (by its number, from 1) wants gone: here, then at the remote where
    it has it. `merged`: Git finds its commits in the branch that is checked out, and needs no force."""
    task = tasks[number - 1]
    if task.delete:
        yield ("branch", "-d" if merged else "-D", task.delete)
        if task.delete in _there(tasks, number, remote):
            yield ("push", "origin", "--delete", task.delete)


def _there(tasks: Sequence[Task], number: int, remote: Collection[str]) -> set[str]:
    """The branches that the remote has when a task is to be delivered."""
    there = set(remote)
    for task in tasks[: number - 1]:
        there |= {task.on} if task.push else set()
        there -= {task.delete} if task.delete else set()
    return there


def _replaced(tasks: Sequence[Task], branch: str) -> bool:
    """Whether the last of these tasks push a branch whose commits they have replaced since it was pushed."""
    replaced = False
    for number, task in enumerate(tasks, start=1):
        if task.on == branch and not task.abort:
            own = task.source == on_remote(branch)
            replaced = replaced or (task.rewrites_branch and not own)
            replaced = replaced and not (task.push and number < len(tasks))
    return replaced
