"""reset: a branch is set back to an earlier commit of its own."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.operation import Looks, NamedCommit, Operation, no_such_label
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.under_way import Words


class Reset(Operation):
    """`git reset --hard`: what came after the commit is no longer in the branch."""

    needs: Words = ("to",)
    result = "set branch"
    under_way = "reset"
    why_begin = "to do it"
    why_sides = ""

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`set main back to before`, by the label of the commit."""
        return f"set {on} back to {task.to}"

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """Nothing meets: the branch, and where it is to stand."""
        return f"ours ({task.on})", f"theirs ({task.to})"

    def look_first(self, task: Task, ids: Mapping[str, str]) -> Looks:
        """The branch, and the commit at which it is to stand."""
        told = f"{task.on} is to stand at {short(ids[task.to or ''])} again:"
        return told, (("log", "--oneline", task.on),)

    def misfits(self, task: Task, key: KeyPath, history: History) -> Iterator[Problem]:
        """A label that no commit has, or that of a commit elsewhere; a push, which Git would refuse."""
        label = task.to or ""
        problems = list(no_such_label(label, history, (*key, "to")))
        yield from problems
        on = history.tips.get(task.on)
        if not problems and on is not None and history.labelled(label) not in history.ancestors(on):
            what = f'the commit "{label}" is not in {task.on}'
            yield Problem(what, "A branch is set back to a commit of its own.", (*key, "to"))
        if task.push:
            what = "a branch that was set back can't be pushed without force"
            yield Problem(what, "Leave push out; or ask for a revert.", (*key, "push"))

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`reset --hard 1a2b3c4d`."""
        return ("reset", "--hard", ids[task.to or ""])

    def go_on(self) -> Words:
        """Nothing: it never stops."""
        return ()

    def not_shown(self, task: Task, original: NamedCommit) -> str:
        """What to say where the branch stands elsewhere."""
        return f'{task.on} does not stand at "{original.subject}" yet'
