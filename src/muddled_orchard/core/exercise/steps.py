"""The commands that carry a task out, as a person types them: peek names them, and everything that carries
tasks out with real Git runs them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.under_way import UNDER_WAY, Words


def to_switch(task: Task, head: str | None, *, detached: bool = False) -> Iterator[tuple[Words, str]]:
    """Check the branch out that a task is about, where another one is (`head`); or its commit alone."""
    if detached:
        yield ("switch", "--detach", task.on), "to be at its commit"
    elif head != task.on:
        yield ("switch", task.on), "to be on the branch that it is about"


def to_fetch(task: Task) -> Iterator[tuple[Words, str]]:
    """Get what the remote has, where a task brings that in and its command does not fetch."""
    if task.fetches_first:
        yield ("fetch", "origin"), "to get what the others have pushed"


def to_start(task: Task, ids: Mapping[str, str], said: str | None = None) -> tuple[Words, str]:
    """Start the operation; `ids` are those of labelled commits, `said` the message where it can be given by
    then."""
    return task.begin(ids, said=said), task.why_begin


def to_give_up(task: Task) -> tuple[Words, str]:
    """Give up what is under way."""
    return UNDER_WAY[under_way_of(task)].give_up[1:], "to give it up, at the conflict"


def under_way_of(task: Task) -> str:
    """The kind of operation that Git shows where a task has stopped (`core.git.under_way`)."""
    return "squash" if task.squash else task.under_way
