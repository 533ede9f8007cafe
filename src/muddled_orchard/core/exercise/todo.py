"""The list of an interactive rebase, as a task wants it: what becomes of each commit, in order."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.task import Task

Word = Literal["pick", "reword", "squash", "fixup", "drop"]
WORDS: tuple[Word, ...] = ("pick", "reword", "squash", "fixup", "drop")

SQUASHING = ("squash", "fixup")
"""The words with which a commit becomes a part of the one before."""


class TodoItem(Struct, frozen=True):
    """One line: what becomes of the commit with a label."""

    word: str
    label: str


def todo_of(task: Task) -> tuple[TodoItem, ...]:
    """The lines of a task's list, in order; none without one."""
    parts = (line.split(None, 1) for line in task.todo or ())
    return tuple(TodoItem(part[0], part[1].strip() if len(part) > 1 else "") for part in parts if part)


def misfits_of_todo(
    task: Task, key: KeyPath, history: History, own: Collection[int] | None
) -> Iterator[Problem]:
    """What is wrong with a list, at `key`: words that there aren't, commits that are missing or are not the
    branch's own since the base. `own` are the places of these; None where that can't be said."""
    items = todo_of(task)
    labels = {commit.label: number for number, commit in enumerate(history.commits) if commit.label}
    for place, item in enumerate(items):
        where = (*key, place)
        if item.word not in WORDS:
            yield Problem(f'"{item.word}" is no word of such a list', likely(item.word, WORDS), where)
        elif item.label not in labels:
            yield Problem(f'no commit is labelled "{item.label}"', likely(item.label, labels), where)
        elif own is not None and labels[item.label] not in own:
            what = f'"{item.label}" is no commit that {task.on} has beyond the base'
            yield Problem(what, "Name the branch's own commits.", where)
    named = [labels.get(item.label) for item in items]
    if len(set(named)) < len(named):
        yield Problem("a commit is named twice", "Name each once.", key)
    for number in sorted(set(own or ()) - set(named)):
        commit = history.commits[number]
        subject = commit.message.split("\n", 1)[0]
        called = f'"{commit.label}"' if commit.label else f'"{subject}", which has no label'
        yield Problem(f"the list misses a commit: {called}", 'Name it, as in "drop LABEL".', key)
    left = [item for item in items if item.word != "drop"]
    if not left:
        yield Problem("nothing is left of the branch", "Keep at least one commit.", key)
    elif left[0].word in SQUASHING:
        yield Problem(f"the first commit can't be {left[0].word}: there is none before it", key=key)


def groups_of(items: Sequence[TodoItem]) -> list[tuple[TodoItem, ...]]:
    """The lines that make one commit each: a pick or reword with what becomes a part of it."""
    found: list[list[TodoItem]] = []
    for item in items:
        if item.word == "drop":
            continue
        if item.word in SQUASHING and found:
            found[-1].append(item)
        else:
            found.append([item])
    return [tuple(group) for group in found]
