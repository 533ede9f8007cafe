"""rebase: a branch's own commits are replayed on another base."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.operation import (
    Looks,
    Operation,
    Planned,
    Replay,
    no_such_label,
)
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.todo import misfits_of_todo, todo_of
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.git.under_way import Words


class Rebase(Operation):
    """`git rebase`."""

    needs: Words = ("onto",)
    allows: Words = ("since", "todo")
    result = "rewritten branch"
    under_way = "rebase"
    keeps_commits = True
    why_sides = (
        "In a rebase the sides look swapped: Git has checked out the new base and brings your commits there "
        "one by one, so what is checked out (ours) is the base, and what comes in (theirs) is your own "
        "commit."
    )

    def source(self, task: Task) -> str | None:
        """The new base."""
        return task.onto

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`rebase night-shift onto main`, perhaps only a part of it."""
        part = f", only what came after {task.since}" if task.since else ""
        listed_as = f", so that its list reads: {', '.join(task.todo)}" if task.todo else ""
        return f"rebase {on} onto {source}{part}{listed_as}"

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """As Git means them: ours is the new base, theirs the learner's own commit."""
        return f"ours ({self.source(task)}, the new base)", f'theirs (your commit "{replayed}")'

    def not_in_yet(self, task: Task) -> str:
        """What to say where its branch does not stand on the new base."""
        return f"{task.on} does not stand on {self.source(task)} yet"

    def look_first(self, task: Task, ids: Mapping[str, str]) -> Looks:
        """The commits to replay."""
        on, source = task.on, self.source(task)
        told = f"These commits of {on} are to be replayed on {source}, from the lowest to the top:"
        since = short(ids[task.since]) if task.since else source
        return told, (("log", "--oneline", f"{since}..{on}"),)

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`rebase main`, or `rebase --onto main 1a2b3c4d`."""
        how = ("-i",) if task.todo else ()
        if task.since:
            return ("rebase", *how, "--onto", self.source(task) or "", ids[task.since])
        return ("rebase", *how, self.source(task) or "")

    def misfits(self, task: Task, key: KeyPath, history: History) -> Iterator[Problem]:
        """A commit to begin after that no commit is labelled as, or that is not in the branch."""
        if task.todo is not None:
            yield from misfits_of_todo(task, (*key, "todo"), history)
            if task.message is not None:
                what = "an interactive rebase says by reword whose message changes"
                yield Problem(what, "Leave message out.", (*key, "message"))
        if task.since is None:
            return
        problems = list(no_such_label(task.since, history, (*key, "since")))
        yield from problems
        on = history.tips.get(task.on)
        if not problems and on is not None and history.labelled(task.since) not in history.ancestors(on):
            what = f'the commit "{task.since}" is not in {task.on}'
            yield Problem(what, "Name one of the branch's own commits.", (*key, "since"))

    def fetches_first(self, task: Task) -> bool:
        """Where the new base is a branch of the remote."""
        return is_on_remote(self.source(task))

    def replays(self, task: Task, planned: Planned) -> Sequence[Replay]:
        """What the branch has and the new base has not, or what it has since a commit."""
        if task.todo is not None:
            kept = (item.label for item in todo_of(task) if item.word != "drop")
            return replayed(planned, [planned.labelled(label) for label in kept])
        if task.since is not None:
            return replayed(planned, planned.to_replay_since(planned.labelled(task.since), task.on))
        return replayed(planned, planned.to_replay(self.source(task) or "", task.on))


def replayed(planned: Planned, ids: Sequence[str]) -> Sequence[Replay]:
    """The changes that these commits made; the first one of a history has no base to be taken from."""
    bases = ((id_, planned.commits[id_].parents) for id_ in ids)
    return [Replay(parents[0], id_, id_) for id_, parents in bases if parents]
