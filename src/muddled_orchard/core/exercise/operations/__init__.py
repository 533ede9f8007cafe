"""The operations that can be asked for: a module each, and one line here.

To add one, write its module (what it is called, needs, begins with, is completed with and leaves;
`Operation` lists the members) and its line in `OPERATIONS`. What it leaves is one of a few kinds, which
everything else goes by; a key of its own is a field of `core.exercise.scenario.Task`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from muddled_orchard.core.exercise.operations.am import Am
from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.operation import Operation
from muddled_orchard.core.exercise.operations.pull import PullByMerge, PullByRebase
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.operations.reset import Reset
from muddled_orchard.core.exercise.operations.revert import Revert
from muddled_orchard.core.exercise.operations.stash_pop import StashPop

if TYPE_CHECKING:
    from muddled_orchard.core.exercise.scenario import Task

OperationName = Literal["merge", "rebase", "cherry-pick", "revert", "pull", "stash-pop", "reset", "am"]

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


def keys_of(name: OperationName) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The keys of a task that an operation needs, and those that it may have besides."""
    operation = next(iter(OPERATIONS[name].values()))
    return operation.needs, operation.allows
