"""When the commits of a demonstration's tasks are made: each task has a time of its own, after the story."""

from __future__ import annotations

from muddled_orchard.core.key.answer_key import Key

_MINUTES = 10


def task_time(key: Key, number: int) -> int:
    """The time of a task (from 1), in seconds since 1970."""
    return max(commit.time for commit in key.history.commits) + number * _MINUTES * 60


def task_times(key: Key) -> frozenset[int]:
    """The times of all tasks."""
    return frozenset(task_time(key, number) for number in range(1, len(key.scenario.task) + 1))
