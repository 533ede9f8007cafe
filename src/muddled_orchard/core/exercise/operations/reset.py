"""reset: a branch is set back to an earlier commit of its own."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.labelled import no_such_label
from muddled_orchard.core.exercise.planned import NamedCommit
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.under_way import Words


class Reset(Task, frozen=True, kw_only=True):
    """`git reset --hard`: what came after the commit is no longer in the branch."""

    do: Literal["reset"]
    """The operation."""
    to: str
    """The label of the commit at which the branch is to stand."""

    result = "set branch"
    under_way = "reset"
    why_begin = "to do it"
    why_sides = ""

    @property
    def labels(self) -> Sequence[str]:
        """The commit at which its branch is to stand."""
        return (self.to,)

    def relabelled(self, names: Mapping[str, str]) -> Self:
        """With another name for that commit."""
        return replace(self, to=names[self.to])

    def phrase(self, on: str, source: str) -> str:
        """`set main back to before`, by the label of the commit."""
        return f"set {on} back to {self.to}"

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """Nothing meets: the branch, and where it is to stand."""
        return f"ours ({self.on})", f"theirs ({self.to})"

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """The branch, and the commit at which it is to stand."""
        told = f"{self.on} is to stand at {short(ids[self.to])} again:"
        return told, (("log", "--oneline", self.on),)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """A label that no commit has, or that of a commit elsewhere; a push, which Git would refuse."""
        label = self.to
        problems = list(no_such_label(label, history, (*key, "to")))
        yield from problems
        on = history.tips.get(self.on)
        if not problems and on is not None and history.labelled(label) not in history.ancestors(on):
            what = f'the commit "{label}" is not in {self.on}'
            yield Problem(what, "A branch is set back to a commit of its own.", (*key, "to"))
        if self.push:
            what = "a branch that was set back can't be pushed without force"
            yield Problem(what, "Leave push out; or ask for a revert.", (*key, "push"))

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`reset --hard 1a2b3c4d`."""
        return ("reset", "--hard", ids[self.to])

    def go_on(self) -> Words:
        """Nothing: it never stops."""
        return ()

    def not_shown(self, original: NamedCommit) -> str:
        """What to say where the branch stands elsewhere."""
        return f'{self.on} does not stand at "{original.subject}" yet'
