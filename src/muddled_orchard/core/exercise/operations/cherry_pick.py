"""cherry-pick: commits of elsewhere are copied."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.labelled import no_such_label, shown
from muddled_orchard.core.exercise.planned import Planned, Replay, changes_of
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.git.under_way import Words


class CherryPick(Task, frozen=True, kw_only=True):
    """`git cherry-pick` of one commit or several."""

    do: Literal["cherry-pick"]
    """The operation."""
    pick: tuple[str, ...]
    """The labels of the commits to copy, in order."""

    result = "new commits"
    under_way = "cherry-pick"
    keeps_commits = True
    why_sides = (
        "Ours is the branch that is checked out; theirs is the one commit that comes in, not all of its "
        "branch."
    )

    @property
    def labels(self) -> Sequence[str]:
        """The picked commits."""
        return self.pick

    def relabelled(self, names: Mapping[str, str]) -> Self:
        """With other names for the picked commits."""
        return replace(self, pick=tuple(names[label] for label in self.pick))

    def phrase(self, on: str, source: str) -> str:
        """`cherry-pick fix onto main`, by the labels of the commits."""
        return f"cherry-pick {listed(self.pick)} onto {on}"

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """The branch that receives the commit, and the commit."""
        return f"ours ({self.on})", f'theirs (the picked commit "{replayed}")'

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """Each commit, and whose it is."""
        return "", tuple(shown(ids[label]) for label in self.pick)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """Labels that no commit has, and commits that have no single parent whose change could be taken."""
        for place, label in enumerate(self.pick):
            where = (*key, "pick", place)
            problems = list(no_such_label(label, history, where))
            yield from problems
            if not problems and len(history.commits[history.labelled(label)].parents) != 1:
                yield Problem(f'"{label}" has no single parent', "Pick a commit that has one.", where)

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`cherry-pick 1a2b3c4d`."""
        return ("cherry-pick", *(ids[label] for label in self.pick))

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """The picked commits."""
        return changes_of(planned, [planned.labelled(label) for label in self.pick])
