"""revert: a commit is undone by a further one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.operation import (
    SQUASHED,
    Looks,
    NamedCommit,
    Operation,
    Planned,
    Replay,
    no_such_label,
    shown,
    without_lines,
)
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.under_way import Words


class Revert(Operation):
    """`git revert`. Its message is its maker's to write: saying why is good practice."""

    needs: Words = ("undo",)
    allows: Words = ("parent",)
    result = "new commits"
    under_way = "revert"
    why_sides = (
        "Ours is the branch as it is; theirs is how things stood before the commit that is to be undone."
    )

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`revert prices on main`, by the label of the commit."""
        return f"revert {task.undo} on {on}"

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """The branch, and how it was before the commit."""
        return f"ours ({task.on})", f'theirs (before "{replayed}")'

    def marker_labels(self, task: Task, replayed: Commit | None, *, sides_swapped: bool) -> tuple[str, str]:
        """`HEAD` and `parent of 1a2b3c4 (Raise the prices)`."""
        ours, theirs = super().marker_labels(task, replayed, sides_swapped=sides_swapped)
        return ours, f"parent of {theirs}" if replayed else theirs

    def look_first(self, task: Task, ids: Mapping[str, str]) -> Looks:
        """The commit, and whose it is."""
        return "", (shown(ids[task.undo or ""]),)

    def misfits(self, task: Task, key: KeyPath, history: History) -> Iterator[Problem]:
        """A label that no commit has; a merge commit without a parent that stays, or the other way round."""
        problems = list(no_such_label(task.undo or "", history, (*key, "undo")))
        yield from problems
        if problems:
            return
        parents = len(history.commits[history.labelled(task.undo or "")].parents)
        if not parents:
            what = f'"{task.undo}" is the first commit of all, and nothing came before it'
            yield Problem(what, "Undo a later one.", (*key, "undo"))
        elif parents > 1 and task.parent is None:
            what = f'"{task.undo}" is a merge commit: which of its parents is to stay?'
            yield Problem(what, "Add parent = 1 (the branch that was merged into).", (*key, "undo"))
        elif task.parent is not None and (parents < 2 or not 1 <= task.parent <= parents):
            what = f'the commit "{task.undo}" has {counted(parents, "parent")}'
            hint = "Leave parent out." if parents < 2 else "parent counts from 1."
            yield Problem(what, hint, (*key, "parent"))

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`revert 1a2b3c4d`, or `revert -m 1 1a2b3c4d` of a merge commit."""
        kept = ("-m", str(task.parent)) if task.parent else ()
        return ("revert", *kept, ids[task.undo or ""])

    def replays(self, task: Task, planned: Planned) -> Sequence[Replay]:
        """The change from the commit back to the one before it, or to the parent that stays."""
        undone = planned.labelled(task.undo or "")
        parents = planned.commits[undone].parents
        return [Replay(undone, parents[(task.parent or 1) - 1], undone)] if parents else []

    def message(self, original: Commit) -> str:
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

    def not_shown(self, task: Task, original: NamedCommit) -> str:
        """What to say where no commit does."""
        return f"no commit of {task.on} says yet that it undoes it"
