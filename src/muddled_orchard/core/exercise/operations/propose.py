"""propose: a branch is brought up to date with the one that it is for, and pushed for others to accept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.exercise.operations.merge import Joining
from muddled_orchard.core.exercise.operations.rebase import Replaying
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.under_way import Words


class Propose(Task, frozen=True, kw_only=True):
    """What both ways of bringing a proposal up to date have in common."""

    do: Literal["propose"]
    """The operation."""
    to: str
    """The branch that it is proposed for: it is to stay as it is."""
    push: bool = True
    """A proposal is pushed."""

    way: ClassVar[str]

    def __post_init__(self) -> None:
        if not self.push:
            raise ValueError("a proposal is pushed: who is to accept it would not see it")

    @property
    def source(self) -> str:
        """The branch that it is proposed for."""
        return self.to

    @property
    def source_key(self) -> str:
        """`to`."""
        return "to"

    def brings(self, source: str) -> Self:
        """The same for a branch at another place."""
        return replace(self, to=source)

    def phrase(self, on: str, source: str) -> str:
        """`propose earlier-picking for main, brought up to date with it by a merge`."""
        return f"propose {on} for {source}, brought up to date with it by a {self.way}"


class ProposeByMerge(Propose, Joining, frozen=True, kw_only=True):
    """`git merge` of the branch that it is for."""

    by: Literal["merge"] = "merge"
    """How it is brought up to date."""

    way = "merge"
    says_at_once = True

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`merge main`, perhaps with `-m`."""
        return ("merge", *(("-m", said) if said is not None else ()), self.source)


class ProposeByRebase(Propose, Replaying, frozen=True, kw_only=True):
    """`git rebase` onto the branch that it is for."""

    by: Literal["rebase"]
    """How it is brought up to date."""

    way = "rebase"

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`rebase main`."""
        return ("rebase", self.source)
