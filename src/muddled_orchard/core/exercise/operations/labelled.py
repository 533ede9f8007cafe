"""Commits that a task names by their labels: whether there are any, and the command that shows one."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.git.under_way import Words


def no_such_label(label: str, history: History, key: KeyPath) -> Iterator[Problem]:
    """What to say of a label at `key` that no commit of the story has."""
    labels = [commit.label for commit in history.commits if commit.label]
    if label not in labels:
        yield Problem(f'no commit is labelled "{label}"', likely(label, labels), key)


def shown(id_: str) -> Words:
    """The command that shows a commit, whose it is and which files it touches."""
    return ("show", "--stat", "--format=%h %s, %an", id_)
