"""revert: a commit is undone by a further one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.labelled import no_such_label, shown
from muddled_orchard.core.exercise.planned import NamedCommit, Planned, Replay
from muddled_orchard.core.exercise.proposed_messages import SQUASHED, without_lines
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.under_way import Words


class Revert(Task, frozen=True, kw_only=True):
    """`git revert`. Its message is its maker's to write: saying why is good practice."""

    do: Literal["revert"]
    """The operation."""
    undo: str
    """The label of the commit to undo."""
    parent: int | None = None
    """Which parent of a merge commit stays, from 1."""

    result = "new commits"
    under_way = "revert"
    why_sides = (
        "Ours is the branch as it is; theirs is how things stood before the commit that is to be undone."
    )

    @property
    def labels(self) -> Sequence[str]:
        """The commit to undo."""
        return (self.undo,)

    def relabelled(self, names: Mapping[str, str]) -> Self:
        """With another name for that commit."""
        return replace(self, undo=names[self.undo])

    def phrase(self, on: str, source: str) -> str:
        """`revert prices on main`, by the label of the commit."""
        return f"revert {self.undo} on {on}"

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """The branch, and how it was before the commit."""
        return f"ours ({self.on})", f'theirs (before "{replayed}")'

    def marker_labels(
        self, replayed: Commit | None = None, *, sides_swapped: bool = False
    ) -> tuple[str, str]:
        """`HEAD` and `parent of 1a2b3c4 (Raise the prices)`."""
        ours, theirs = super().marker_labels(replayed, sides_swapped=sides_swapped)
        return ours, f"parent of {theirs}" if replayed else theirs

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """The commit, and whose it is."""
        return "", (shown(ids[self.undo]),)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """A label that no commit has; a merge commit without a parent that stays, or the other way round."""
        problems = list(no_such_label(self.undo, history, (*key, "undo")))
        yield from problems
        if problems:
            return
        parents = len(history.commits[history.labelled(self.undo)].parents)
        if not parents:
            what = f'"{self.undo}" is the first commit of all, and nothing came before it'
            yield Problem(what, "Undo a later one.", (*key, "undo"))
        elif parents > 1 and self.parent is None:
            what = f'"{self.undo}" is a merge commit: which of its parents is to stay?'
            yield Problem(what, "Add parent = 1 (the branch that was merged into).", (*key, "undo"))
        elif self.parent is not None and (parents < 2 or not 1 <= self.parent <= parents):
            what = f'the commit "{self.undo}" has {counted(parents, "parent")}'
            hint = "Leave parent out." if parents < 2 else "parent counts from 1."
            yield Problem(what, hint, (*key, "parent"))

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`revert 1a2b3c4d`, or `revert -m 1 1a2b3c4d` of a merge commit."""
        kept = ("-m", str(self.parent)) if self.parent else ()
        return ("revert", *kept, ids[self.undo])

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """The change from the commit back to the one before it, or to the parent that stays."""
        undone = planned.labelled(self.undo)
        parents = planned.commits[undone].parents
        return [Replay(undone, parents[(self.parent or 1) - 1], undone)] if parents else []

    def message_for(self, original: Commit) -> str:
        """The one that Git proposes."""
        return f'Revert "{original.subject}"'

    def own_words(self, message: str, original: Commit | None) -> str:
        """What is not Git's `Revert "Raise the prices"` and the line that names the commit."""
        return without_lines(message, r'Revert ".*"|This reverts commit .*|reversing changes made to .*')

    def shows(self, made: Commit, original: NamedCommit) -> bool:
        """Whether its message names the commit, by subject or id; a squash merge lists what it brings in."""
        if made.subject == SQUASHED:
            return False
        # What begins as it does is that commit reworded.
        named = original.subject in made.message and not made.subject.startswith(original.subject)
        return named or original.id in made.message

    def not_shown(self, original: NamedCommit) -> str:
        """What to say where no commit does."""
        return f"no commit of {self.on} says yet that it undoes it"
