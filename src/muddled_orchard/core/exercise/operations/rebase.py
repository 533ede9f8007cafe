"""rebase: a branch's own commits are replayed on another base."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.labelled import no_such_label
from muddled_orchard.core.exercise.planned import Planned, Replay, changes_of
from muddled_orchard.core.exercise.task import Looks, Task
from muddled_orchard.core.exercise.todo import misfits_of_todo, todo_of
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.under_way import Words


class Replaying(Task, frozen=True, kw_only=True):
    """An operation that replays its branch's own commits on another base."""

    result = "rewritten branch"
    under_way = "rebase"
    keeps_commits = True
    why_sides = (
        "In a rebase the sides look swapped: Git has checked out the new base and brings your commits there "
        "one by one, so what is checked out (ours) is the base, and what comes in (theirs) is your own "
        "commit."
    )

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """As Git means them: ours is the new base, theirs the learner's own commit."""
        return f"ours ({self.source}, the new base)", f'theirs (your commit "{replayed}")'

    @property
    def not_in_yet(self) -> str:
        """What to say where its branch does not stand on the new base."""
        return f"{self.on} does not stand on {self.source} yet"

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """The commits to replay."""
        told = f"These commits of {self.on} are to be replayed on {self.source}, from the lowest to the top:"
        return told, (("log", "--oneline", f"{self.source}..{self.on}"),)

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """What the branch has and the new base has not."""
        return changes_of(planned, planned.to_replay(self.source, self.on))


class Rebase(Replaying, frozen=True, kw_only=True):
    """`git rebase`, perhaps of a part of the branch, or interactive."""

    do: Literal["rebase"]
    """The operation."""
    onto: str
    """The branch on which the commits are replayed."""
    since: str | None = None
    """The label of the branch's own commit after which the replay begins (`--onto`)."""
    todo: tuple[str, ...] | None = None
    """The list of an interactive rebase, a word (pick, reword, squash, fixup, drop) and a label each,
    in the wanted order."""

    @property
    def source(self) -> str:
        """The new base."""
        return self.onto

    def brings(self, source: str) -> Self:
        """The same onto a branch at another place."""
        return replace(self, onto=source)

    @property
    def source_key(self) -> str:
        """`onto`."""
        return "onto"

    @property
    def labels(self) -> Sequence[str]:
        """The commits of its list, and the one after which it begins."""
        listed = [item.label for item in todo_of(self)]
        return [*listed, self.since] if self.since is not None else listed

    def relabelled(self, names: Mapping[str, str]) -> Self:
        """With other names for these commits."""
        lines = tuple(f"{item.word} {names[item.label]}" for item in todo_of(self))
        since = None if self.since is None else names[self.since]
        return replace(self, todo=lines or self.todo, since=since)

    @property
    def replays_always(self) -> bool:
        """Where it has a list, or begins after a commit."""
        return self.todo is not None or self.since is not None

    def phrase(self, on: str, source: str) -> str:
        """`rebase night-shift onto main`, perhaps only a part of it."""
        part = f", only what came after {self.since}" if self.since else ""
        listed_as = f", so that its list reads: {', '.join(self.todo)}" if self.todo else ""
        return f"rebase {on} onto {source}{part}{listed_as}"

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """The commits to replay, or the part of them."""
        told, ((*log, _),) = super().look_first(ids)
        since = short(ids[self.since]) if self.since else self.source
        return told, ((*log, f"{since}..{self.on}"),)

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`rebase main`, or `rebase --onto main 1a2b3c4d`."""
        how = ("-i",) if self.todo else ()
        if self.since:
            return ("rebase", *how, "--onto", self.source, ids[self.since])
        return ("rebase", *how, self.source)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """A commit to begin after that no commit is labelled as, or that is not in the branch."""
        if self.todo is not None:
            yield from misfits_of_todo(self, (*key, "todo"), history, self._own(history))
            if self.message is not None:
                what = "an interactive rebase says by reword whose message changes"
                yield Problem(what, "Leave message out.", (*key, "message"))
        if self.since is None:
            return
        problems = list(no_such_label(self.since, history, (*key, "since")))
        yield from problems
        on = history.tips.get(self.on)
        if not problems and on is not None and history.labelled(self.since) not in history.ancestors(on):
            what = f'the commit "{self.since}" is not in {self.on}'
            yield Problem(what, "Name one of the branch's own commits.", (*key, "since"))

    def _own(self, history: History) -> set[int] | None:
        """The places of the commits that it is about; None where that can't be said."""
        base = history.tips.get(self.onto)
        if base is None or self.on not in history.tips:
            return None
        own = history.ancestors(history.tips[self.on]) - history.ancestors(base)
        if self.since is not None:
            since = next((n for n, commit in enumerate(history.commits) if commit.label == self.since), None)
            own -= history.ancestors(since) if since is not None else set()
        return {number for number in own if len(history.commits[number].parents) < 2}

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """What the branch has and the new base has not, or what it has since a commit."""
        if self.todo is not None:
            kept = (item.label for item in todo_of(self) if item.word != "drop")
            return changes_of(planned, [planned.labelled(label) for label in kept])
        if self.since is not None:
            return changes_of(planned, planned.to_replay_since(planned.labelled(self.since), self.on))
        return super().replays(planned)
