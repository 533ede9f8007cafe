"""What a repository holds, as plain data: the shapes that evidence and key share."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from msgspec import Struct

from muddled_orchard.core.git.trees import Tree

LONGEST_SUBJECT = 72
"""How many letters the first line of a message may have: longer ones are cut in Git's own lists."""


class Commit(Struct, frozen=True):
    """A commit: ids in hex, authors as `Name <address>`, `tree` the whole listing, `time` when it was made,
    in seconds since 1970 (0 where nobody asks), `committer` who made it (empty where nobody asks)."""

    id: str
    parents: tuple[str, ...]
    author: str
    message: str
    tree: Tree
    time: int = 0
    committer: str = ""

    @property
    def subject(self) -> str:
        """The first line of the message."""
        return self.message.split("\n", 1)[0]


Commits = Mapping[str, Commit]


def ancestry(commits: Commits, tip: str | None) -> Iterator[Commit]:
    """The commit and all that it grew from, each once, as far as `commits` has them; first parents first."""
    seen = set()
    stack = [tip] if tip else []
    while stack:
        id_ = stack.pop()
        if id_ in seen or id_ not in commits:
            continue
        seen.add(id_)
        yield commits[id_]
        stack.extend(reversed(commits[id_].parents))


def ancestors(commits: Commits, *tips: str | None) -> set[str]:
    """The ids of these commits and of all that they grew from, as far as `commits` has them."""
    found: set[str] = set()
    waiting = [tip for tip in tips if tip]
    while waiting:
        id_ = waiting.pop()
        if id_ not in found and id_ in commits:
            found.add(id_)
            waiting += commits[id_].parents
    return found


def contains(commits: Commits, tip: str | None, ancestor: str) -> bool:
    """Whether `ancestor` is `tip` or one of the commits that it grew from."""
    # Asked many times for every submission, so it walks by itself and stops as soon as it can.
    seen: set[str] = set()
    stack = [tip] if tip else []
    while stack:
        id_ = stack.pop()
        if id_ not in commits or id_ in seen:
            continue
        if id_ == ancestor:
            return True
        seen.add(id_)
        stack.extend(commits[id_].parents)
    return False


def short(id_: str | None) -> str:
    """A commit's id as people write it, and Git in messages."""
    return (id_ or "")[:7]


def name_of(author: str) -> str:
    """The name of an author as commits have it: `Name <address>`."""
    return author.split(" <", maxsplit=1)[0]
