"""pull: a branch of the remote is fetched and brought in, by a merge or by a rebase."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

from muddled_orchard.core.exercise.operations.merge import Joining
from muddled_orchard.core.exercise.operations.rebase import Replaying
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.refs import on_remote
from muddled_orchard.core.git.under_way import Words


class Pull(Task, frozen=True, kw_only=True):
    """What both ways of pulling have in common."""

    do: Literal["pull"]
    """The operation."""
    from_: str
    """The branch of origin."""
    by: Literal["merge", "rebase"]
    """How the two are brought together after fetching."""

    way: ClassVar[str]

    @property
    def source(self) -> str:
        """The branch of the remote."""
        return on_remote(self.from_)

    @property
    def source_key(self) -> str:
        """`from`."""
        return "from"

    def phrase(self, on: str, source: str) -> str:
        """`pull origin/main into main, by rebase`."""
        return f"pull {source} into {on}, by {self.by}"

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`pull --rebase origin main`."""
        return ("pull", self.way, "origin", self.from_)

    @property
    def fetches_first(self) -> bool:
        """It fetches by itself."""
        return False


class PullByMerge(Pull, Joining, frozen=True, kw_only=True):
    """`git pull --no-rebase`."""

    by: Literal["merge"]
    """How the two are brought together after fetching."""

    way = "--no-rebase"


class PullByRebase(Pull, Replaying, frozen=True, kw_only=True):
    """`git pull --rebase`."""

    by: Literal["rebase"]
    """How the two are brought together after fetching."""

    way = "--rebase"
