"""A task of a scenario file: one operation that the learner is asked to carry out."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from muddled_orchard.core.exercise.text_rules import TextRules

OperationName = Literal["merge", "rebase", "cherry-pick", "revert", "pull", "stash-pop", "reset", "am"]
"""The words of `do`; `core.exercise.operations` has a module for each."""


class MessageRules(TextRules, frozen=True, kw_only=True):
    """What the message of a commit must hold."""

    text: str | None = None
    """An example of a message that holds it (default: one is made of `has` and `once`)."""

    def __post_init__(self) -> None:
        if not self.ask:
            raise ValueError("expected one of has, lacks, once and matches")


class Task(Struct, frozen=True, kw_only=True):
    """One operation that the learner is asked to carry out."""

    do: OperationName
    """The operation."""
    on: str = ""
    """The branch that is checked out and receives the result (default: the story's first branch)."""
    bring: str | None = None
    """merge: the branch that is merged into it."""
    fast_forward: Literal["never", "allowed", "only"] | None = None
    """merge: whether the branch may, must or must not just be moved on (default: allowed)."""
    squash: bool | None = None
    """merge: whether the result is to be one plain commit."""
    onto: str | None = None
    """rebase: the branch on which the commits are replayed."""
    pick: tuple[str, ...] | None = None
    """cherry-pick: the labels of the commits to copy, in order."""
    undo: str | None = None
    """revert: the label of the commit to undo."""
    patches: tuple[str, ...] | None = None
    """am: the labels of the commits that are handed out as patches, in order; their branch is not."""
    parent: int | None = None
    """revert: which parent of a merge commit stays, from 1."""
    since: str | None = None
    """rebase: the label of the branch's own commit after which the replay begins (`--onto`)."""
    todo: tuple[str, ...] | None = None
    """rebase: the list of an interactive rebase, a word (pick, reword, squash, fixup, drop) and a label each,
    in the wanted order."""
    to: str | None = None
    """reset: the label of the commit at which the branch is to stand."""
    abort: bool = False
    """Whether it is only to be begun, and given up again at its first conflict."""
    from_: str | None = None
    """pull: the branch of origin."""
    by: Literal["merge", "rebase"] | None = None
    """pull: how the two are brought together after fetching."""
    push: bool = False
    """Whether the result is to be pushed to origin."""
    delete: str | None = None
    """A branch that is to be deleted afterwards."""
    message: Literal["proposed", "own"] | MessageRules | None = None
    """What the commit is to say: `"proposed"` (Git's own message is kept; of a replayed commit its own),
    `"own"` (own words that say what it does), or rules that the message must hold."""
