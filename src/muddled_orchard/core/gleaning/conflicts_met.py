"""What was kept in the conflicts of a real history, read as the work of a learner is."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct

from muddled_orchard.core.base.limits import MOST_LINES
from muddled_orchard.core.git.lines import by_lines, lines_of
from muddled_orchard.core.git.trees import SUBMODULE, Blob
from muddled_orchard.core.gleaning.redone import Redone
from muddled_orchard.core.grading.readings import read_file
from muddled_orchard.core.key.difficulty import LONG_SIDE, Measures, needs_both, rated
from muddled_orchard.core.key.exercise_summary import Difficulty
from muddled_orchard.core.merging.conflict import STAGE, Conflict

LARGEST = 1 << 20
"""The largest file of which an exercise is made, in bytes."""


class ConflictMet(Struct, frozen=True):
    """One path that conflicted: Git's word for it, what was kept in each hunk (of a path without hunks: in
    the whole of it), how many lines one has to read, how many sides of hunks are long, and how many lines
    outside the hunks were changed."""

    path: str
    kind: str
    kept: tuple[str, ...]
    hunks: int
    lines: int
    long: int = 0
    outside: int = 0


class Gleaned(Struct, frozen=True):
    """An operation of a history that conflicted: its conflicts, the files that Git merged cleanly and that
    came out otherwise, how hard it is, and why no exercise can be made of it (empty: one can)."""

    redone: Redone
    conflicts: tuple[ConflictMet, ...]
    elsewhere: tuple[str, ...]
    difficulty: Difficulty
    problem: str = ""

    @property
    def kinds(self) -> tuple[str, ...]:
        """Git's words for its conflicts, each once."""
        return tuple(dict.fromkeys(met.kind for met in self.conflicts))

    @property
    def kept(self) -> tuple[str, ...]:
        """What was kept, each word once, in the order of the conflicts."""
        return tuple(dict.fromkeys(word for met in self.conflicts for word in met.kept))

    @property
    def hunks(self) -> int:
        """How many hunks its files have."""
        return sum(met.hunks for met in self.conflicts)

    @property
    def lines(self) -> int:
        """How many lines one has to read."""
        return sum(met.lines for met in self.conflicts)

    @property
    def outside(self) -> int:
        """How many lines outside the hunks were changed."""
        return sum(met.outside for met in self.conflicts)


def gleaned(
    redone: Redone,
    conflicts: Sequence[Conflict],
    result: Mapping[str, Blob],
    texts: Mapping[str, bytes],
    elsewhere: Iterable[str],
    problem: str = "",
) -> Gleaned:
    """Read how conflicts were resolved: `result` has what lies at their paths now, `texts` the contents by
    id."""
    met = tuple(conflict_met(conflict, result.get(conflict.path), texts) for conflict in conflicts)
    found = Gleaned(redone, met, tuple(sorted(elsewhere)), Difficulty(0, "none", ()), problem)
    rating = rated(
        Measures(
            files=len({one.path for one in met}),
            hunks=found.hunks,
            long=sum(one.long for one in met),
            both=sum(needs_both(word) for one in met if one.hunks for word in one.kept),
            unseen=tuple(one.kind for one in met if not one.hunks),
            outside=sum(one.outside > 0 for one in met) + len(found.elsewhere),
            swapped=int(redone.how == "rebase"),
            steps=1,
        )
    )
    return Gleaned(redone, met, found.elsewhere, rating, problem or _problem(conflicts))


def _problem(conflicts: Sequence[Conflict]) -> str:
    stages = [blob for conflict in conflicts for blob in conflict.stages.values()]
    return "a submodule conflicts" if any(blob.mode == SUBMODULE for blob in stages) else ""


def conflict_met(conflict: Conflict, result: Blob | None, texts: Mapping[str, bytes]) -> ConflictMet:
    """What became of one conflict; `result` is what lies at its path now."""
    merged = conflict.merged
    data = texts.get(result.id) if result is not None else None
    read = merged is not None and data is not None and by_lines(data)
    if not read or merged is None or data is None:
        hunks = len(merged.hunks) if merged is not None else 0
        return ConflictMet(
            conflict.path, conflict.kind, (_whole(conflict, result),), hunks, _length(conflict, texts)
        )
    reading = read_file(merged, lines_of(data)[:MOST_LINES], (), "line-ends", ())
    return ConflictMet(
        conflict.path,
        conflict.kind,
        tuple(hunk.kept for hunk in reading.hunks),
        len(merged.hunks),
        sum(len(hunk.ours) + len(hunk.theirs) for hunk in merged.hunks),
        sum(max(len(hunk.ours), len(hunk.theirs)) > LONG_SIDE for hunk in merged.hunks),
        reading.strayed,
    )


def _whole(conflict: Conflict, result: Blob | None) -> str:
    """What was kept of a path as a whole."""
    if result is None:
        return "gone"
    ids = {side: conflict.stages[stage].id for side, stage in STAGE.items() if stage in conflict.stages}
    return next((side for side in ("ours", "theirs", "base") if ids.get(side) == result.id), "blend")


def _length(conflict: Conflict, texts: Mapping[str, bytes]) -> int:
    """How many lines the sides of a path without hunks have."""
    sides = (texts.get(conflict.stages[stage].id) for stage in (2, 3) if stage in conflict.stages)
    return sum(data.count(b"\n") for data in sides if data is not None and by_lines(data))
