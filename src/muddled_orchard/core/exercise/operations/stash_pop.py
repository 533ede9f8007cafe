"""stash-pop: work that was put aside comes back into the working tree."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.planned import Planned, Replay
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.under_way import Words


class StashPop(Task, frozen=True, kw_only=True):
    """`git stash pop`."""

    do: Literal["stash-pop"]
    """The operation."""

    result = "working tree"
    under_way = "stash-pop"
    why_sides = "Ours is what is committed on the branch; theirs is the work that comes back from the stash."

    def phrase(self, on: str, source: str) -> str:
        """`pop the stash on main`."""
        return f"pop the stash on {on}"

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """The branch, and the stashed work."""
        return f"ours ({self.on})", "theirs (your stashed work)"

    def marker_labels(
        self, replayed: Commit | None = None, *, sides_swapped: bool = False
    ) -> tuple[str, str]:
        """The words that Git has for the two."""
        return STASH_LABELS

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """What was put aside."""
        return "This work waits in the stash:", (("stash", "list"), ("stash", "show", "-p"))

    def compare(self, sides: tuple[str, str], replay: Replay) -> Iterator[Looks]:
        """What was put aside, and what the branch has got since."""
        before = "stash@{0}^1"
        told = "What was put aside, against the commit that it was put aside on:"
        yield told, (("diff", before, "stash@{0}"),)
        yield f"What {sides[0]} has got since:", (("diff", before, "HEAD"),)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """A stash with nothing in it."""
        if not history.stashes:
            yield Problem("nothing is in the stash", "Give a story entry stash = true.", key)

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`stash pop`."""
        return ("stash", "pop")

    def go_on(self) -> Words:
        """Nothing: the work is where it was to come."""
        return ()

    def complete(self, said: str | None, *, emptied: bool) -> Sequence[Words]:
        """`stash drop`: Git keeps the stash where it conflicts."""
        return (("stash", "drop"),)

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """What was changed when the work was put aside."""
        stash = planned.stashed()
        return [Replay(planned.commits[stash].parents[0], stash, stash)]


STASH_LABELS = ("Updated upstream", "Stashed changes")
"""What Git writes behind markers where a stash is popped."""
