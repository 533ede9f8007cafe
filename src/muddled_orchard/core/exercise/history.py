"""A story as a graph: the commits that it makes and where its branches end."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from muddled_orchard.core.git.trees import Files


class Person(Struct, frozen=True):
    """An author."""

    name: str
    email: str

    def __str__(self) -> str:
        """As Git writes authors: `Name <address>`."""
        return f"{self.name} <{self.email}>"


class PlannedCommit(Struct, frozen=True):
    """A commit of the story, or a stash.

    `parents` are places in `History.commits`; `time` is in seconds since 1970, `offset` in minutes
    east of UTC; `tree` is everything that the commit holds, by path.
    """

    branch: str
    parents: tuple[int, ...]
    author: Person
    time: int
    offset: int
    message: str
    label: str | None
    tree: Files
    stash: bool = False


class History(Struct, frozen=True):
    """All commits of a story, parents first.

    `tips` are the learner's branches and the commits (places in `commits`) that they end at,
    `tracked` the remote's branches as the learner's repository knows them, `remote` as the remote has
    them now; both are empty without a remote. `stashes` are places too, the oldest first.
    """

    commits: tuple[PlannedCommit, ...]
    tips: Mapping[str, int]
    checked_out: str
    tracked: Mapping[str, int] = field(default_factory=dict)
    remote: Mapping[str, int] = field(default_factory=dict)
    stashes: tuple[int, ...] = ()

    def labelled(self, label: str) -> int:
        """The place of the commit with this label."""
        return next(number for number, commit in enumerate(self.commits) if commit.label == label)

    def ancestors(self, number: int) -> set[int]:
        """The places of a commit and of all that it grew from."""
        found: set[int] = set()
        stack = [number]
        while stack:
            at = stack.pop()
            if at not in found:
                found.add(at)
                stack.extend(self.commits[at].parents)
        return found
