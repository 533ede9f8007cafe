"""The operations that can be asked for: a module each, and one line here.

To add one, write its module (what it is called, needs, begins with, is completed with and leaves;
`Operation` lists the members) and its line in `OPERATIONS`. What it leaves is one of a few kinds, which
everything else goes by; a key of its own is a field of `core.exercise.task.Task`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.operations.am import Am
from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.operation import Operation
from muddled_orchard.core.exercise.operations.pull import PullByMerge, PullByRebase
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.operations.reset import Reset
from muddled_orchard.core.exercise.operations.revert import Revert
from muddled_orchard.core.exercise.operations.stash_pop import StashPop
from muddled_orchard.core.exercise.task import OperationName, Task

OPERATIONS: Mapping[OperationName, Mapping[str | None, Operation]] = {
    "merge": {None: Merge()},
    "rebase": {None: Rebase()},
    "cherry-pick": {None: CherryPick()},
    "revert": {None: Revert()},
    "pull": {"merge": PullByMerge(), "rebase": PullByRebase()},
    "stash-pop": {None: StashPop()},
    "reset": {None: Reset()},
    "am": {None: Am()},
}
"""By the word of a task's `do`, and of its `by` where there is more than one way."""


def operation_of(task: Task) -> Operation:
    """The operation that a task asks for."""
    return OPERATIONS[task.do][task.by]


def key_problems(task: Task, key: KeyPath) -> Iterator[Problem]:
    """The keys that a task at `key` lacks for its operation, and those that it has and its operation has
    not."""
    operation = next(iter(OPERATIONS[task.do].values()))
    for name in operation.needs:
        if _value(task, name) is None:
            yield Problem(f"{task.do} needs {name}", key=key)
    every = (one for ways in OPERATIONS.values() for one in ways.values())
    known = {name for one in every for name in (*one.needs, *one.allows)}
    for name in sorted(known - {*operation.needs, *operation.allows}):
        if _value(task, name) is not None:
            yield Problem(f"{task.do} has no {name}", key=key)


def _value(task: Task, name: str) -> object:
    return getattr(task, "from_" if name == "from" else name)
