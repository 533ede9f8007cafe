"""What can be kept of a conflict: each word with how it reads, and how it is said.

To add a word, add its entry here.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.git.lines import Lines
from muddled_orchard.core.merging.conflict import Hunk


class Choice(Struct, frozen=True):
    """Something that can be kept. `parts` are the sides whose lines stand in the hunk's place, in order.

    How it is said has `{ours}` and `{theirs}` for the names of the sides, and `{order}` for a remark on their
    order: `told` to an instructor, `hinted` to a learner who is to try again, `acted` of a learner who did it
    in every conflict.
    """

    parts: tuple[Literal["ours", "theirs", "base"], ...]
    told: str
    hinted: str
    acted: str = ""


KEEP: Mapping[str, Choice] = {
    "ours": Choice(("ours",), "{ours} was kept", "{ours} was kept", "kept ours everywhere"),
    "theirs": Choice(("theirs",), "{theirs} was kept", "{theirs} was kept", "kept theirs everywhere"),
    "ours+theirs": Choice(
        ("ours", "theirs"),
        "both sides were kept{order}, {ours} before {theirs}",
        "both sides are there, ours first",
        "kept both sides, ours first",
    ),
    "theirs+ours": Choice(
        ("theirs", "ours"),
        "both sides were kept{order}, {theirs} before {ours}",
        "both sides are there, theirs first",
        "kept both sides, theirs first",
    ),
    "base": Choice(
        ("base",),
        "the old text was kept, from before either side changed it",
        "it is as it was before either side changed it",
        "brought the base back everywhere",
    ),
    "neither": Choice(
        (),
        "neither side was kept; the lines were deleted",
        "neither side is there any more",
        "kept neither side",
    ),
}
"""The words of a key, in the order in which one is looked for that a text reads like."""

NOT_IN_KEYS: Mapping[str, Choice] = {
    "blend": Choice((), "what stands there now is neither side, nor both", "it is neither side, nor both"),
    "unresolved": Choice((), "the conflict is still there, with its markers", "the conflict is still there"),
    "gone": Choice((), "the file was deleted", "the file is not there any more"),
}
"""What else can be found."""


def lines_kept(hunk: Hunk, word: str) -> Lines:
    """What a hunk reads when this word of a key is kept."""
    sides = {"ours": hunk.ours, "theirs": hunk.theirs, "base": hunk.base}
    return tuple(line for part in KEEP[word].parts for line in sides[part])


def words_for(text: Lines) -> Sequence[str]:
    """The words that a text may be read as: an empty base is as empty as neither side, and who leaves nothing
    has kept neither."""
    return [word for word, choice in KEEP.items() if text or (len(choice.parts) < 2 and word != "base")]


def choice_of(word: str) -> Choice | None:
    """What was found to be kept, or None where it is no word of these."""
    return KEEP.get(word) or NOT_IN_KEYS.get(word)
