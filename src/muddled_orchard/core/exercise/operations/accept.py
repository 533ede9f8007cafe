"""accept: what was proposed is merged by a merge commit and pushed, and its branch deleted."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.exercise.operations.merge import Joining
from muddled_orchard.core.exercise.task import FastForward
from muddled_orchard.core.git.refs import REMOTE
from muddled_orchard.core.git.under_way import Words


class Accept(Joining, frozen=True, kw_only=True):
    """`git merge --no-ff`, so that the history tells what was accepted and by whom."""

    do: Literal["accept"]
    """The operation."""
    bring: str
    """The branch that was proposed."""
    push: bool = True
    """What was accepted is pushed."""

    says_at_once = True

    def __post_init__(self) -> None:
        if not self.push:
            raise ValueError("what is accepted is pushed: else nobody would know")

    def with_defaults(self) -> Self:
        """The branch that was proposed has served, and is deleted."""
        return self if self.delete else replace(self, delete=self.bring.removeprefix(REMOTE))

    @property
    def source(self) -> str:
        """The branch that was proposed."""
        return self.bring

    @property
    def source_key(self) -> str:
        """`bring`."""
        return "bring"

    @property
    def fast_forward(self) -> FastForward:
        """A merge commit is wanted, even where the branch could just be moved on."""
        return "never"

    def brings(self, source: str) -> Self:
        """The same of the branch where it lies for somebody else."""
        return replace(self, bring=source)

    def phrase(self, on: str, source: str) -> str:
        """`accept earlier-picking into main, with a merge commit`."""
        return f"accept {source} into {on}, with a merge commit"

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`merge --no-ff earlier-picking`, perhaps with `-m`."""
        return ("merge", *(("-m", said) if said is not None else ()), "--no-ff", self.source)
