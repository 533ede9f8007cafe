"""The conflicts of a repository that are wanted, the most instructive ones kept."""

from __future__ import annotations

import heapq
from collections import Counter
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.gleaning.conflicts_met import Gleaned
from muddled_orchard.core.gleaning.instructive import in_order
from muddled_orchard.show.terminal.progress import with_progress
from muddled_orchard.vcs.gleaning.found import Portion, conflicts_in, count_of_merges
from muddled_orchard.vcs.gleaning.source import history_of


class Wanted(Struct, frozen=True):
    """What is listed: since which day, in which file or folder, of which kind (empty: all), and how many."""

    since: str
    path: str
    kind: str
    most: int

    def has(self, found: Gleaned) -> bool:
        """Whether it is wanted."""
        paths = (met.path for met in found.conflicts)
        here = not self.path or any(f"{path}/".startswith(f"{self.path}/") for path in paths)
        return here and (not self.kind or self.kind in found.kinds)


class Found(Struct, frozen=True):
    """What came of a repository: how many operations were asked again, how many conflicted, how many of these
    were wanted, how many could not be asked, how many merged several branches at once, how often each reason
    stands in the way of an exercise, and the most instructive ones. `under_way`: the names of both sides of
    what is under way there (empty: nothing is)."""

    asked: int
    conflicted: int
    wanted: int
    failed: int
    octopus: int
    reasons: dict[str, int]
    rows: tuple[Gleaned, ...]
    under_way: str = ""


def find(repository: Path, wanted: Wanted, *, quiet: bool) -> Found:
    """Ask everything again; of many only the best are held. Raises BadInput where the repository can't be
    read."""
    best: list[Gleaned] = []
    counts: Counter[str] = Counter()
    reasons: Counter[str] = Counter()
    with history_of(repository) as history:
        total = count_of_merges(history, wanted.since)
        portions = with_progress(
            conflicts_in(history, wanted.since), total, "Merging again", quiet=quiet, size=_size
        )
        for portion in portions:
            here = [found for found in portion.conflicted if wanted.has(found)]
            best = heapq.nsmallest(wanted.most, [*best, *here], key=in_order)
            reasons.update(found.problem for found in here if found.problem)
            counts.update(
                asked=portion.asked, conflicted=len(portion.conflicted), wanted=len(here),
                failed=portion.failed, octopus=portion.octopus,
            )  # fmt: skip
        under_way = next((name for name in history.refs if name.endswith("_HEAD")), "")
    return Found(
        counts["asked"], counts["conflicted"], counts["wanted"], counts["failed"], counts["octopus"],
        dict(reasons), tuple(best), under_way,
    )  # fmt: skip


def _size(portion: Portion) -> int:
    return portion.asked + portion.failed + portion.octopus
