"""Work that is graded and counts for nobody: why that is, and how it is told."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.document import Tone

Uncounted = Literal["", "not theirs", "practice"]
"""Why a work doesn't count; empty: it does."""


class UncountedTold(Struct, frozen=True):
    """How it is told: as a sentence of one work, in a few words, in which tone, and whether it is a fault."""

    sentence: str
    words: str
    tone: Tone
    fault: bool


UNCOUNTED: Mapping[Uncounted, UncountedTold] = {
    "not theirs": UncountedTold(
        "It counts for nobody: this variant was not handed out to them.",
        "this variant was not handed out to them",
        "unreadable",
        fault=True,
    ),
    "practice": UncountedTold(
        "It is practice, of a drill: it shows how far they are, and counts for nothing.",
        "practice, which counts for nothing",
        "skipped",
        fault=False,
    ),
}
