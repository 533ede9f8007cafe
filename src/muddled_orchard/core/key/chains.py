"""Tasks in a row of which nothing could be seen: what they leave is nothing, or a later one takes it away."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.tasks import in_words, is_merge, is_rebase, is_stash_pop, sets_branch
from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.key.answer_key import Key, Step


def unseen_tasks(key: Key) -> Iterator[Problem]:
    """What is wrong with tasks that come to nothing when they are solved by the key, and with those whose
    result a later one replaces."""
    for number, task in enumerate(key.scenario.task, start=1):
        where = ("task", number - 1)
        steps = [step for step in key.steps if step.task == number]
        called = f"task {number} ({in_words(task)})"
        if not task.abort and not any(_leaves_something(key, step) for step in steps):
            what = f"{called} leaves nothing new: all that it brings is there already, or is decided against"
            yield Problem(what, "Leave it out, or have something of it kept.", where)
            continue
        if task.abort or not (is_rebase(task) or sets_branch(task)):
            continue
        for earlier, other in enumerate(key.scenario.task[: number - 1], start=1):
            gone = sets_branch(task) or is_merge(other)
            if other.on == task.on and not other.abort and gone and not is_stash_pop(other):
                how = "sets that branch back" if sets_branch(task) else "replays it without the merge"
                what = f"{called} {how}, so nothing of task {earlier} is left to be seen"
                yield Problem(what, "Put it before, or on another branch.", where)
                break


def _leaves_something(key: Key, step: Step) -> bool:
    if step.makes_no_commit:
        return True
    if is_merge(step.operation):
        there = contains(key.commits, step.ours, step.theirs)
        squashed_away = step.operation.squash and step.becomes_empty(key.commits)
        return not there and not squashed_away
    if is_rebase(step.operation):
        return step.base != step.ours or not step.becomes_empty(key.commits)
    return not step.becomes_empty(key.commits)
