"""An exercise that is made of an operation of a history: the commits of its story, and the result."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.commits import name_of
from muddled_orchard.core.git.trees import Files
from muddled_orchard.core.gleaning.redone import How, PastCommit

SideCommits = Literal["squash", "keep"]
"""Whether the commits of a side become one, or stay."""

MOST_KEPT = 4
"""So many commits of a side are kept one by one where nothing else is asked for."""

_TRAILER = pattern(r"^[A-Z][A-Za-z-]+: .*@.*$|^(Change-Id|Closes|Fixes|Refs?|See|Link|Bug): .*$")
_COPIED = pattern(r"^\(cherry picked from commit [0-9a-f]+\)$")
_MERGED = pattern(r"^Merge (?:remote-tracking )?branch(?:es)? '([^']+)'")
_BRANCH = pattern(r"[A-Za-z0-9][A-Za-z0-9/_.-]{0,40}")


class StoryCommit(Struct, frozen=True):
    """A commit of the story: its branch, the branch that this grows from where it is new, who made it
    (`Name <address>`) and when (seconds since 1970), its message, its files, and a label (empty: none)."""

    branch: str
    grows_from: str
    author: str
    time: int
    message: str
    files: Files
    label: str = ""


class Side(Struct, frozen=True):
    """A side of a merge: its commits since both parted, the oldest first, each with its files."""

    branch: str
    commits: Sequence[tuple[PastCommit, Files]]


class TakenExercise(Struct, frozen=True):
    """What is taken: the operation, the branches that are worked on and brought in, the story, the files of
    the real result (None: there is none), and what it was in the history."""

    how: How
    on: str
    source: str
    story: tuple[StoryCommit, ...]
    result: Files | None
    what: str


def side_name(message: str, main: str) -> str:
    """The branch that a merge's message names, where it is a plain name; else `side`."""
    named = _MERGED.match(message)
    name = named[1].removeprefix("origin/") if named else ""
    ends = name.endswith((".", "/", ".lock")) or ".." in name or "//" in name
    return name if _BRANCH.fullmatch(name) and name != main and not ends else "side"


def story_of(
    how: How, base: tuple[PastCommit, Files], ours: Side, theirs: Side, commits: SideCommits | None
) -> tuple[StoryCommit, ...]:
    """The commits that lead up to an operation: what both sides have in common, then each side's. Of a side
    with more than a few commits one is made, unless all are to be kept."""
    begun, files = base
    # What came before is one commit, of which that commit's own message says nothing.
    said = "Begin" if begun.parents else _said(begun)
    story = [StoryCommit(ours.branch, "", begun.author, begun.committed, said, files)]
    if how == "revert":
        return (*story, *_reverted(ours, theirs))
    for side, grows_from, label in ((theirs, ours.branch, "work"), (ours, "", "")):
        told = _told(side, files, commits)
        for number, (commit, tree) in enumerate(told):
            first = grows_from if number == 0 else ""
            last = label if number == len(told) - 1 and how == "cherry-pick" else ""
            story.append(
                StoryCommit(side.branch, first, commit.author, commit.committed, _said(commit), tree, last)
            )
    return tuple(story)


def _reverted(ours: Side, theirs: Side) -> Iterator[StoryCommit]:
    """The commit that is taken back, and what came after it, on one branch; the story has begun with what was
    before it."""
    ((taken_back, after),) = theirs.commits
    later = _told(ours, after, "squash")
    for label, (commit, tree) in (("work", (taken_back, after)), *(("", one) for one in later)):
        author, time = commit.author, commit.committed
        yield StoryCommit(ours.branch, "", author, time, _said(commit), tree, label)


def _told(side: Side, before: Files, commits: SideCommits | None) -> list[tuple[PastCommit, Files]]:
    """The commits of a side that change something, or the last one with all of it."""
    told: list[tuple[PastCommit, Files]] = []
    for commit, tree in side.commits:
        if tree != (told[-1][1] if told else before):
            told.append((commit, tree))
    if commits == "squash" or (commits is None and len(told) > MOST_KEPT):
        return told[-1:]
    return told


def _said(commit: PastCommit) -> str:
    """A commit's message without what only its own history understands: trailers, and where it was copied
    from."""
    lines = [
        line.rstrip()
        for line in commit.message.strip().splitlines()
        if not _TRAILER.match(line) and not _COPIED.match(line)
    ]
    text = re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()
    return text or "Work"


CAST = (
    "Maren Quill", "Tobias Fenn", "Ilse Korn", "Odo Marsh", "Suvi Lind", "Petra Hazel", "Jory Reed",
    "Neve Lark", "Wim Cobb", "Alda Sorrel", "Benno Fell", "Cleo Vetch",
)  # fmt: skip
"""Who people of a history become, in the order in which they come up."""


def cast_for(authors: Sequence[str], *, keep_names: bool) -> dict[str, tuple[str, str]]:
    """The name in the cast and the person (`Name <address>`) that each author becomes."""
    cast: dict[str, tuple[str, str]] = {}
    for author in dict.fromkeys(authors):
        number = len(cast)
        turn, place = divmod(number, len(CAST))
        name = name_of(author) if keep_names else CAST[place] + (f" {turn + 1}" if turn else "")
        short = _short(name, [used for used, _ in cast.values()])
        person = author if keep_names and "<" in author else f"{name} <{short}@orchard.example>"
        cast[author] = (short, person)
    return cast


def _short(name: str, used: Sequence[str]) -> str:
    first = (name.split() or [""])[0].casefold()
    word = re.sub(r"[^a-z0-9]+", "", first) or "somebody"
    return next(one for one in (word, *(f"{word}{n}" for n in range(2, 1_000))) if one not in used)
