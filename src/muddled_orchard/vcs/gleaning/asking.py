"""What Git makes of operations of a history: asked again, many in one process."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.gleaning.redone import Redone
from muddled_orchard.core.merging.conflict import MARKER_ATTRIBUTES
from muddled_orchard.vcs.ask.predict import ToldMerge, told_merges
from muddled_orchard.vcs.gleaning.source import History, Missing

_STAND_IN = "Stand-in <stand-in@orchard.example> 0 +0000"


def merges_of(history: History, pairs: Sequence[tuple[str, str]], *, diff3: bool) -> list[ToldMerge | None]:
    """What `git merge-tree` says of each pair (ours, theirs), in order; None where it can't be asked: a bad
    one ends Git's answers, so that the others are asked for anew."""
    attributes = history.gitdir / "info" / "attributes"
    if not attributes.exists():
        attributes.write_text(MARKER_ATTRIBUTES, encoding="ascii")
    style = f"merge.conflictStyle={'diff3' if diff3 else 'merge'}"
    return _asked(history, ["-c", style, *_WORDS], pairs) if pairs else []


_WORDS = ("merge-tree", "--write-tree", "--stdin", "-z", "--messages", "--allow-unrelated-histories")


_MOST_LOST = 200
"""So many merges of a damaged repository are looked for one by one."""


def _asked(
    history: History, words: Sequence[str], pairs: Sequence[tuple[str, str]]
) -> list[ToldMerge | None]:
    given = "".join(f"{ours} {theirs}\n" for ours, theirs in pairs).encode()
    output, wrong = history.ask(words, given)
    told = _whole(output)
    if not wrong and len(told) == len(pairs):
        return list(told)
    # Git goes on where it can't read a tree, and does not say in which merge that was.
    if len(pairs) == 1 or history.lost >= _MOST_LOST:
        history.lost += len(pairs)
        return [None] * len(pairs)
    half = len(pairs) // 2
    return [*_asked(history, words, pairs[:half]), *_asked(history, words, pairs[half:])]


def _whole(output: bytes) -> list[ToldMerge]:
    """The answers that came whole."""
    found = []
    answers = told_merges(output)
    while True:
        try:
            found.append(next(answers))
        except (StopIteration, RuntimeError, ValueError):  # it breaks off
            return found


def pair_of(history: History, redone: Redone) -> tuple[str, str]:
    """The two commits that Git is given: where a base is set, two that have just this one in common. Raises
    Missing."""
    if redone.base is None:
        return redone.ours, redone.theirs
    base, ours, theirs = (tree_of(history, id_) for id_ in (redone.base, redone.ours, redone.theirs))
    return parted_commits(history, base, ours, theirs)


def parted_commits(history: History, base: str, ours: str, theirs: str) -> tuple[str, str]:
    """Two commits of ours with these trees that have one with the base's in common. Git is still to be given
    them (`History.flush`)."""
    begun = history.made.commit(_STAND_IN, "base", base, [])
    sides = (("ours", ours), ("theirs", theirs))
    one, other = (history.made.commit(_STAND_IN, name, tree, [begun]) for name, tree in sides)
    return one, other


def tree_of(history: History, commit: str) -> str:
    """The id of a commit's tree. Raises Missing."""
    kind, data = history.read(commit)
    if kind != "commit":
        raise Missing(f"{short(commit)} is no commit")
    return data[5:45].decode("ascii", "replace")
