"""A walkthrough as data: what is typed, what Git answered, and what to look at, step by step.

It is recorded while real Git carries everything out (`vcs.walkthrough`); whatever shows it only formats.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct, field

from muddled_orchard.core.key.graph import Graph

Half = Literal["build", "task"]
"""The two halves of a walkthrough: the story is built, then the tasks are carried out."""

WORK, COLLEAGUE, ORIGIN = "work", "colleague", "origin.git"
"""The repository that is worked in, the clone of somebody else, and the remote; side by side in a folder."""


class Identity(Struct, frozen=True):
    """Who makes commits from here on, and when: name, address, seconds since 1970, and minutes east of UTC.
    With `replays` only the committer is set, since commits that are replayed keep their authors."""

    name: str
    email: str
    time: int
    offset: int = 0
    replays: bool = False

    @property
    def date(self) -> str:
        """The time as Git takes it: `1617348600 +0000`."""
        sign = "-" if self.offset < 0 else "+"
        return f"{self.time} {sign}{abs(self.offset) // 60:02}{abs(self.offset) % 60:02}"

    @property
    def environment(self) -> dict[str, str]:
        """The variables that tell Git."""
        roles = ("COMMITTER",) if self.replays else ("AUTHOR", "COMMITTER")
        about = {"NAME": self.name, "EMAIL": self.email, "DATE": self.date}
        return {f"GIT_{role}_{what}": value for role in roles for what, value in about.items()}


class Said(Struct, frozen=True):
    """A paragraph: what to say, or to look at. `wrong`: it is of a choice that was tried, and is wrong;
    `folder` is the repository that it is about, as of every part."""

    text: str
    wrong: bool = False
    folder: str = WORK


class Edited(Struct, frozen=True):
    """A file of the folder `folder` that is edited, made or removed by hand: its content before and after
    (None: there is none), and Git's mode of it."""

    path: str
    before: bytes | None
    after: bytes | None
    mode: int
    folder: str = WORK


class Ran(Struct, frozen=True):
    """A command of Git: its words (`git` first), the folder it is run in, what it answered on both channels.

    `who` is whoever makes commits by it, `variables` are further ones that it is given. `keeps` is the name
    under which its answer is used in later words, as `$name`; `typed_lines` is what a person types where it
    asks.
    """

    words: tuple[str, ...]
    answer: str
    folder: str = WORK
    who: Identity | None = None
    variables: Mapping[str, str] = field(default_factory=dict)
    keeps: str | None = None
    typed_lines: tuple[str, ...] = ()


class Viewed(Struct, frozen=True):
    """A file as it lies there; `marks` are the numbers (from 1) of the lines that are to be looked at."""

    path: str
    content: bytes
    marks: frozenset[int] = frozenset()
    folder: str = WORK


LineKind = Literal["clean", "marker", "ours", "base", "theirs"]


class MarkedLine(Struct, frozen=True):
    """A line of a file with conflicts: which part it belongs to, from where a remark on it begins."""

    kind: LineKind
    text: str
    remark: str = ""


class Marked(Struct, frozen=True):
    """A conflicted file as it lies there, each of its lines named."""

    path: str
    lines: tuple[MarkedLine, ...]
    folder: str = WORK


Part = Said | Edited | Ran | Viewed | Marked


class WalkthroughStep(Struct, frozen=True, kw_only=True):
    """One step: its number from 1 in the whole walkthrough, the name by which `plant --at` takes it, and
    what happens in it, in order. `graph` is how the commits stand after it.

    A `wrong_turn` is tried and undone again.
    """

    number: int
    name: str
    title: str
    half: Half
    wrong_turn: bool = False
    parts: tuple[Part, ...] = ()
    graph: Graph | None = None


class Walkthrough(Struct, frozen=True, kw_only=True):
    """The whole demonstration of one variant. `steps` are those that are shown: their numbers are those of
    the whole."""

    id: str
    title: str
    language: str
    brief: str
    variant: str
    steps: tuple[WalkthroughStep, ...]
