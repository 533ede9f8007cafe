"""own-conflict: the learner makes a conflict, and resolves it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.git.under_way import Words

OwnOperation = Literal["merge", "rebase", "cherry-pick", "revert"]

ConflictKind = Literal[
    "contents", "modify/delete", "rename/delete", "rename/rename", "binary", "file/directory",
    "file location", "distinct modes", "submodule",
]  # fmt: skip
"""Git's words for the kinds of conflicts (git-merge-tree(1))."""

KeptWord = Literal["ours", "theirs", "ours+theirs", "theirs+ours", "base", "neither", "blend", "gone"]
"""What can be found to be kept (`core.merging.keep`), but for what is unresolved."""

OwnStep = Literal["branch", "both sides", "same file", "conflict", "fast-forward", "clean merge"]
"""What can be asked for one by one: a branch with a commit of its own; two branches that both have gone on
since they parted; that both changed the same file; the conflict, met; a branch that was only moved on; a
merge that does not conflict."""

OWN_STEPS_TOLD: Mapping[OwnStep, str] = {
    "branch": "make a branch with a commit of its own",
    "both sides": "commit on both branches after they have parted",
    "same file": "change the same file on both",
    "conflict": "bring them together, so that it conflicts",
    "fast-forward": "bring a branch in that the other one is only moved on by",
    "clean merge": "merge what does not conflict",
}
"""How each is said to a learner."""

_MOST = 100


class OwnConflict(Task, frozen=True, kw_only=True):
    """A conflict that the learner makes: two branches that both change the same, brought together."""

    do: Literal["own-conflict"]
    """The operation."""
    by: tuple[OwnOperation, ...] = ("merge", "rebase")
    """The operations by which it may be met (default: merge or rebase)."""
    conflicts: int = 1
    """How many there are to be, at least: hunks, and paths without hunks."""
    files: tuple[str, ...] = ()
    """The files in which they count (default: all)."""
    kinds: tuple[ConflictKind, ...] = ()
    """Git's words for the kinds that count, as in `contents` or `modify/delete` (default: all)."""
    steps: tuple[OwnStep, ...] = ()
    """What counts, each alike, so that a part of the way earns a part (default: the conflict alone)."""
    kept: tuple[KeptWord, ...] = ()
    """The words of `keep` that are fine in each of them (default: whatever is resolved)."""

    result = "own conflict"
    under_way = "merge"
    why_sides = "Ours is what was checked out, theirs what came in; in a rebase it is the other way round."

    def __post_init__(self) -> None:
        if not self.by:
            raise ValueError("by is empty: how is the conflict to be met?")
        if self.steps and "conflict" not in self.steps:
            raise ValueError('steps lacks "conflict", which is what it is about')
        if not 1 <= self.conflicts <= _MOST:
            raise ValueError(f"conflicts is from 1 to {_MOST}, not {self.conflicts}")

    def phrase(self, on: str, source: str) -> str:
        """`make 2 conflicts of your own by a merge, and resolve them`."""
        them = "it" if self.conflicts == 1 else "them"
        what = "a conflict" if self.conflicts == 1 else counted(self.conflicts, "conflict")
        where = f" in {listed(self.files)}" if self.files else ""
        how = " or ".join(f"a {name}" for name in self.by)
        return f"make {what} of your own{where} by {how}, and resolve {them}"

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """Nobody is, before the learner has made them."""
        return "ours", "theirs"

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """What there is to part from."""
        return f"Where {self.on} stands, before anything parts from it:", (("log", "--oneline", "-3"),)

    @property
    def needs_reflog(self) -> bool:
        """A rebase leaves commits as if nothing had ever conflicted."""
        return "rebase" in self.by and "merge" not in self.by

    def without_answers(self) -> Self:
        """What is fine in a conflict is not told."""
        return replace(self, kept=())

    def go_on(self) -> Words:
        """What completes it, by whichever operation it is met first."""
        return (self.by[0], "--continue")

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """A branch of one's own."""
        return ("switch", "-c", "my-side")
