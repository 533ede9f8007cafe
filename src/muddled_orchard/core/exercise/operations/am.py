"""am: commits that came as patches, in a mailbox beside the repository, are applied."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.labelled import no_such_label
from muddled_orchard.core.exercise.planned import Planned, Replay, changes_of
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.lines import is_binary
from muddled_orchard.core.git.under_way import Words

MAILBOX = "patches.mbox"
"""The file with the patches, beside the repository."""


class Am(Task, frozen=True, kw_only=True):
    """`git am --3way`, which falls back on a merge where a patch does not apply."""

    do: Literal["am"]
    """The operation."""
    patches: tuple[str, ...]
    """The labels of the commits that are handed out as patches, in order; their branch is not."""

    result = "new commits"
    under_way = "am"
    keeps_commits = True
    why_sides = CherryPick.why_sides

    @property
    def labels(self) -> Sequence[str]:
        """The patches."""
        return self.patches

    def relabelled(self, names: Mapping[str, str]) -> Self:
        """With other names for the patches."""
        return replace(self, patches=tuple(names[label] for label in self.patches))

    def phrase(self, on: str, source: str) -> str:
        """`apply the patches lock and bell to main`, by the labels of the commits."""
        return f"apply the {'patch' if len(self.patches) == 1 else 'patches'} {listed(self.patches)} to {on}"

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """The branch that receives the commit, and the patch."""
        return f"ours ({self.on})", f'theirs (the patch "{replayed}")'

    def marker_labels(
        self, replayed: Commit | None = None, *, sides_swapped: bool = False
    ) -> tuple[str, str]:
        """`HEAD`, and the patch's subject alone: its commit is none of the repository's."""
        return "HEAD", replayed.subject if replayed else ""

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """Where the patches lie: they are no commits of the repository."""
        return f"The patches lie beside the repository, in {MAILBOX}. Each is a commit as a mail.", ()

    def compare(self, sides: tuple[str, str], replay: Replay) -> Iterator[Looks]:
        """The patch at hand."""
        yield f"What {sides[1]} changed, and who made it:", (("am", "--show-current-patch=diff"),)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """Labels that no commit has, and commits that can't be patches."""
        for place, label in enumerate(self.patches):
            where = (*key, "patches", place)
            problems = list(no_such_label(label, history, where))
            yield from problems
            if not problems:
                yield from _unpatchable(label, history, where)
        if self.abort:
            yield Problem("whether patches were given up can't be seen", "Leave abort out.", (*key, "abort"))

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`am --3way ../patches.mbox`."""
        return ("am", "--3way", "--", f"../{MAILBOX}")

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """The commits that came as patches."""
        return changes_of(planned, [planned.labelled(label) for label in self.patches])


def _unpatchable(label: str, history: History, key: KeyPath) -> Iterator[Problem]:
    commit = history.commits[history.labelled(label)]
    if len(commit.parents) != 1:
        yield Problem(f'"{label}" has no single parent', "Only a commit with one can be a patch.", key)
        return
    before = history.commits[commit.parents[0]].tree
    for path in {*before, *commit.tree}:
        old, new = before.get(path), commit.tree.get(path)
        if old != new and any(file is not None and is_binary(file.data) for file in (old, new)):
            yield Problem(f'"{label}" changes {path}, which is no text', "A patch can't hold that.", key)
