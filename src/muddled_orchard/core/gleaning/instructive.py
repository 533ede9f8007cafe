"""Which conflict of a history teaches most, and so comes first. The rule is in docs/gleaning.md."""

from __future__ import annotations

from muddled_orchard.core.gleaning.conflicts_met import Gleaned

READ_IN_A_LESSON = 80
"""So many lines are read in a lesson; each so many more cost a point."""

_MOST_FILES = 3
_THOUGHT = frozenset(("ours+theirs", "theirs+ours", "blend", "neither"))
"""What is kept where no side is right as it is: somebody had to think."""


def instructive(found: Gleaned) -> int:
    """How much a conflict teaches: different kinds and different decisions do, one side taken whole does not,
    and what is long to read does less. Below nothing where no exercise can be made of it."""
    words = [word for met in found.conflicts for word in met.kept]
    points = 3 * len(found.kinds) + 2 * len(set(words))
    points += 4 if _THOUGHT & {*words} else 0
    points += 3 if found.outside or found.elsewhere else 0
    points -= 5 if len(set(words)) == 1 and words[0] in ("ours", "theirs", "base") else 0
    points -= max(0, len(found.conflicts) - _MOST_FILES) + max(0, found.lines - READ_IN_A_LESSON) // 40
    points -= 5 if "unresolved" in words else 0
    return points - 1_000 if found.problem else points


def in_order(found: Gleaned) -> tuple[int, int, str]:
    """What a list of them is sorted by: the most instructive first, of equals the newest."""
    return -instructive(found), -found.redone.commit.committed, found.redone.commit.id
