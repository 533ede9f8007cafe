"""What Git can have under way, each with how it is called, completed and given up."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

Words = tuple[str, ...]
"""A command, word by word."""


class UnderWay(Struct, frozen=True):
    """An operation that Git has begun: a name for it, what to say of one that was never completed, and the
    commands that complete it (none where there is nothing to commit) and give it up."""

    name: str
    unfinished: str
    go_on: Words
    give_up: Words


def _replaying(word: str, name: str, unfinished: str) -> UnderWay:
    return UnderWay(name, unfinished, ("git", word, "--continue"), ("git", word, "--abort"))


UNDER_WAY: Mapping[str, UnderWay] = {
    "merge": UnderWay(
        "a merge", "The merge was begun but never completed", ("git", "commit"), ("git", "merge", "--abort")
    ),
    "squash": UnderWay(
        "a squash merge",
        "A squash merge was begun and its result never committed",
        ("git", "commit"),
        ("git", "reset", "--merge"),
    ),
    "rebase": _replaying("rebase", "a rebase", "A rebase is still in progress"),
    "am": _replaying("am", "applying a patch", "Applying a patch (git am) is still in progress"),
    "cherry-pick": _replaying("cherry-pick", "a cherry-pick", "A cherry-pick is still in progress"),
    "revert": _replaying("revert", "a revert", "A revert is still in progress"),
    "left": UnderWay(
        "a conflict, with no operation under way",
        "A conflict is still there, and no operation is under way",
        (),
        ("git", "reset", "--merge"),
    ),
    "stash-pop": UnderWay(
        "bringing stashed work back",
        "The stash was popped, and its conflict is still there",
        (),
        ("git", "reset", "--merge"),
    ),
}
"""By the kind that `Pending` has."""

SHOWN_BY: Mapping[str, str] = {
    "MERGE_HEAD": "merge",
    "CHERRY_PICK_HEAD": "cherry-pick",
    "REVERT_HEAD": "revert",
    "SQUASH_MSG": "squash",
}
"""The kind that a file of `.git` shows to be under way, unless a rebase is."""

REBASE_FOLDERS: Mapping[str, tuple[str, str]] = {
    "rebase-merge": ("msgnum", "end"),
    "rebase-apply": ("next", "last"),
}
"""The folders of `.git` that show a rebase, with the files that have the number of the step at hand and of
all."""

SEQUENCER = "sequencer"
"""The folder of `.git` that shows picks or reverts of several commits, also between two of them."""

SEQUENCER_LIST = f"{SEQUENCER}/todo"
"""The file with a line for each of them that is not done yet, which begins with `pick` or `revert`."""

SEQUENCER_STOP = f"{SEQUENCER}/abort-safety"
"""The file that names the commit on which they stopped: where HEAD is another one, somebody has committed
since."""

APPLYING = "rebase-apply/applying"
"""The file that shows that it is `git am` instead."""

THREE_WAY = "rebase-apply/threeway"
"""The file that says whether `git am` merges where a patch does not apply (`t` or `f`)."""

REBASED_HEAD = "REBASE_HEAD"
"""The file that names the commit which a rebase has stopped at."""
