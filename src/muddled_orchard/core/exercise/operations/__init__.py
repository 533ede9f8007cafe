"""The operations that can be asked for: a module each, and one line here.

To add one, write its module (a class of `Task` with its own keys: what it is called, begins with, is
completed with and leaves), its word in `OperationName`, its line in `OPERATIONS` and its keys in `IN_ORDER`.
What it leaves is one of a few kinds, which everything else goes by.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.exercise.operations.accept import Accept
from muddled_orchard.core.exercise.operations.am import Am
from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.operations.propose import ProposeByMerge, ProposeByRebase
from muddled_orchard.core.exercise.operations.pull import PullByMerge, PullByRebase
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.operations.reset import Reset
from muddled_orchard.core.exercise.operations.revert import Revert
from muddled_orchard.core.exercise.operations.stash_pop import StashPop
from muddled_orchard.core.exercise.task import Task

_T = TypeVar("_T", bound=Struct)

OPERATIONS: Mapping[str, Mapping[str | None, type[Task]]] = {
    "merge": {None: Merge},
    "rebase": {None: Rebase},
    "cherry-pick": {None: CherryPick},
    "revert": {None: Revert},
    "pull": {"merge": PullByMerge, "rebase": PullByRebase},
    "stash-pop": {None: StashPop},
    "reset": {None: Reset},
    "am": {None: Am},
    "own-conflict": {None: OwnConflict},
    "propose": {None: ProposeByMerge, "merge": ProposeByMerge, "rebase": ProposeByRebase},
    "accept": {None: Accept},
}
"""By the word of a task's `do`, and of its `by` where there is more than one way."""


def operation_of(data: Any) -> type[Task] | None:
    """The operation that a table asks for; None where there is none of that name. Where a table does not say
    rightly which way is meant, it is any of them."""
    ways = OPERATIONS.get(str(data.get("do"))) if isinstance(data, dict) else None
    if ways is None:
        return None
    by = data.get("by")
    return ways.get(by if isinstance(by, str) else None, next(iter(ways.values())))


def with_tasks(model: type[_T], data: Mapping[str, Any], key: str) -> _T:
    """Data as a struct whose `key` is a list of tasks, each of its operation's class. Raises
    msgspec.ValidationError, KeyError or TypeError where it is none."""
    tasks = tuple(msgspec.convert(table, operation_of(table) or Task) for table in data[key])
    return replace(msgspec.convert({**data, key: ()}, model), **{key: tasks})
