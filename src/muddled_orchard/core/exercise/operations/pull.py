"""pull: a branch of the remote is fetched and brought in, by a merge or by a rebase."""

from __future__ import annotations

from collections.abc import Mapping

from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.operation import Operation
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.refs import on_remote
from muddled_orchard.core.git.under_way import Words


class _Pull(Operation):
    says_at_once = False
    needs: Words = ("from", "by")
    way: str

    def source(self, task: Task) -> str | None:
        """The branch of the remote."""
        return on_remote(task.from_)

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`pull origin/main into main, by rebase`."""
        return f"pull {source} into {on}, by {task.by}"

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`pull --rebase origin main`."""
        return ("pull", self.way, "origin", task.from_ or "")

    def fetches_first(self, task: Task) -> bool:
        """It fetches by itself."""
        return False


class PullByMerge(_Pull, Merge):
    """`git pull --no-rebase`."""

    allows: Words = ()
    way = "--no-rebase"


class PullByRebase(_Pull, Rebase):
    """`git pull --rebase`."""

    way = "--rebase"
