"""The commits that an operation replays, as they stand when it begins."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from msgspec import Struct

from muddled_orchard.core.git.commits import Commits


class NamedCommit(Protocol):
    """A commit as far as it is named: its id in hex, its author (`Name <address>`) and its subject."""

    @property
    def id(self) -> str:
        """The id in hex."""

    @property
    def author(self) -> str:
        """`Name <address>`."""

    @property
    def subject(self) -> str:
        """The first line of the message."""


class Planned(Protocol):
    """The repository as it stands when an operation begins and all before it was solved by the key."""

    @property
    def commits(self) -> Commits:
        """Every commit that there is by then, by id."""

    def labelled(self, label: str) -> str:
        """The id of the commit with a label."""

    def stashed(self) -> str:
        """The id of the commit that holds the stashed work."""

    def to_replay(self, onto: str, branch: str) -> Sequence[str]:
        """The ids of the commits that a rebase replays, the oldest first."""

    def to_replay_since(self, id_: str, branch: str) -> Sequence[str]:
        """The same of a rebase that begins after a commit of the branch itself."""


class Replay(Struct, frozen=True):
    """One commit that an operation replays: the ids of the commit from which its change is taken, of the one
    that has the change, and of the one that it is about."""

    base: str
    theirs: str
    original: str


def changes_of(planned: Planned, ids: Sequence[str]) -> Sequence[Replay]:
    """The changes that these commits made; the first one of a history has no base to be taken from."""
    bases = ((id_, planned.commits[id_].parents) for id_ in ids)
    return [Replay(parents[0], id_, id_) for id_, parents in bases if parents]
