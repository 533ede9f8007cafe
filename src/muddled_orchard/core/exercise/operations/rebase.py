"""rebase: a branch's own commits are replayed on another base."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from muddled_orchard.core.exercise.operations.operation import Operation, Planned, Replay
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.git.under_way import Words

if TYPE_CHECKING:
    from muddled_orchard.core.exercise.scenario import Task


class Rebase(Operation):
    """`git rebase`."""

    needs: Words = ("onto",)
    result = "rewritten branch"
    under_way = "rebase"
    keeps_commits = True

    def source(self, task: Task) -> str | None:
        """The new base."""
        return task.onto

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`rebase night-shift onto main`."""
        return f"rebase {on} onto {source}"

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """As Git means them: ours is the new base, theirs the learner's own commit."""
        return f"ours ({self.source(task)}, the new base)", f'theirs (your commit "{replayed}")'

    def begin(self, task: Task, ids: Mapping[str, str], *, quiet: bool = False) -> Words:
        """`rebase main`."""
        return ("rebase", *(("-q",) if quiet else ()), self.source(task) or "")

    def fetches_first(self, task: Task) -> bool:
        """Where the new base is a branch of the remote."""
        return is_on_remote(self.source(task))

    def replays(self, task: Task, planned: Planned) -> Sequence[Replay]:
        """What the branch has and the new base has not."""
        return replayed(planned, planned.to_replay(self.source(task) or "", task.on))


def replayed(planned: Planned, ids: Sequence[str]) -> Sequence[Replay]:
    """The changes that these commits made; the first one of a history has no base to be taken from."""
    bases = ((id_, planned.commits[id_].parents) for id_ in ids)
    return [Replay(parents[0], id_, id_) for id_, parents in bases if parents]
