"""cherry-pick: commits of elsewhere are copied."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.operation import (
    Looks,
    Operation,
    Planned,
    Replay,
    no_such_label,
    shown,
)
from muddled_orchard.core.exercise.operations.rebase import replayed as changes_of
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.under_way import Words


class CherryPick(Operation):
    """`git cherry-pick` of one commit or several."""

    needs: Words = ("pick",)
    result = "new commits"
    under_way = "cherry-pick"
    keeps_commits = True
    why_sides = (
        "Ours is the branch that is checked out; theirs is the one commit that comes in, not all of its "
        "branch."
    )

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`cherry-pick fix onto main`, by the labels of the commits."""
        return f"cherry-pick {listed(task.pick or ())} onto {on}"

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """The branch that receives the commit, and the commit."""
        return f"ours ({task.on})", f'theirs (the picked commit "{replayed}")'

    def look_first(self, task: Task, ids: Mapping[str, str]) -> Looks:
        """Each commit, and whose it is."""
        return "", tuple(shown(ids[label]) for label in task.pick or ())

    def misfits(self, task: Task, key: KeyPath, history: History) -> Iterator[Problem]:
        """Labels that no commit has, and commits that have no single parent whose change could be taken."""
        for place, label in enumerate(task.pick or ()):
            where = (*key, "pick", place)
            problems = list(no_such_label(label, history, where))
            yield from problems
            if not problems and len(history.commits[history.labelled(label)].parents) != 1:
                yield Problem(f'"{label}" has no single parent', "Pick a commit that has one.", where)

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`cherry-pick 1a2b3c4d`."""
        return ("cherry-pick", *(ids[label] for label in task.pick or ()))

    def replays(self, task: Task, planned: Planned) -> Sequence[Replay]:
        """The picked commits."""
        return changes_of(planned, [planned.labelled(label) for label in task.pick or ()])
