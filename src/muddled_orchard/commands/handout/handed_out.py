"""What a run of handing out came to."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.sources import Pushed


class HandedOut(Struct, frozen=True):
    """The titles of the exercises, who they are for, the first of the new hand-outs, how many new ones there
    are, how many were there before, the folder and the ledger, and what came of pushing."""

    titles: Sequence[str]
    learners: Sequence[Learner]
    shown: Sequence[HandOut]
    count: int
    ready: int
    out: Path
    ledger: Path
    pushes: Sequence[Pushed]
