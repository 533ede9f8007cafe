"""An operation that somebody once carried out, and that Git is asked again: a merge, or a commit that was
made of another one."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.git.copies import copied_from, side_that_stays

How = Literal["merge", "cherry-pick", "revert", "rebase"]


class PastCommit(Struct, frozen=True):
    """A commit of a history: its parents, its tree, when it was committed and when written (seconds since
    1970), by whom (`Name <address>`), and its message."""

    id: str
    parents: tuple[str, ...]
    tree: str
    committed: int
    written: int
    author: str
    message: str

    @property
    def subject(self) -> str:
        """The first line of its message."""
        return self.message.lstrip().partition("\n")[0].strip()


class Redone(Struct, frozen=True):
    """What is asked again: the commit in which it ended, which operation it was, the commits of both sides,
    and that which both are measured by (None: what they have in common)."""

    commit: PastCommit
    how: How
    ours: str
    theirs: str
    base: str | None = None


def merge_again(commit: PastCommit) -> Redone | None:
    """A merge of two; None where a commit is none."""
    if len(commit.parents) != 2:
        return None
    return Redone(commit, "merge", *commit.parents)


def copy_again(commit: PastCommit, how: How, source: PastCommit) -> Redone | None:
    """A commit that was made of `source`; None where one of them has no parent, or `source` is a merge of
    which nothing says the side that stayed."""
    stays = side_that_stays(commit.message, source.parents)
    if len(commit.parents) != 1 or stays is None:
        return None
    if how == "revert":
        return Redone(commit, how, commit.parents[0], stays, source.id)
    return Redone(commit, how, commit.parents[0], source.id, stays)


def likeness(commit: PastCommit) -> bytes:
    """What a rebased commit has in common with the old one, in 16 bytes."""
    same = f"{commit.author}\0{commit.written}\0{commit.subject}"
    return hashlib.blake2b(same.encode("utf-8", "surrogatepass"), digest_size=16).digest()


def rebased_pairs(commits: Iterable[PastCommit]) -> Iterator[tuple[PastCommit, PastCommit]]:
    """Commits that were put on another base while the old ones are still there, each with the old one: the
    same author, the same moment, the same subject, another parent. What is said to be a copy is left out."""
    first: dict[bytes, PastCommit] = {}
    for commit in sorted(commits, key=lambda one: (one.committed, one.id)):
        if len(commit.parents) == 1 and copied_from(commit.message) is None:
            old = first.setdefault(likeness(commit), commit)
            if old.id != commit.id and old.parents != commit.parents:
                yield commit, old
