"""What the key's own solution leaves at a conflicted path: contents and mode."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from muddled_orchard.core.git.trees import PLAIN_FILE, Blob, Tree
from muddled_orchard.core.key.accepted import Accepted
from muddled_orchard.core.merging.conflict import STAGE, Conflict


def solved_conflict(
    conflict: Conflict, accepted: Sequence[Accepted], texts: Mapping[str, bytes]
) -> bytes | None:
    """The content that the key's first answer gives a conflicted path (ours without one); None: gone."""
    if not accepted:
        ours = conflict.stages.get(2)
        return None if ours is None else texts[ours.id]
    first = accepted[0]
    if first.gone:
        return None
    if first.whole:
        return texts[conflict.stages[STAGE[first.word]].id]
    return "".join(first.text).encode("utf-8", "surrogateescape")


def blob_mode(conflict: Conflict, accepted: Sequence[Accepted], merged: Blob | None) -> int:
    """The mode that a resolved path has: that of the side that is wanted, else what Git merges (`merged` is
    what it leaves at the path), or that of a side that has it."""
    if accepted and accepted[0].whole:
        return conflict.stages[STAGE[accepted[0].word]].mode
    if merged is not None and conflict.merged is not None:
        return merged.mode
    return next((conflict.stages[stage].mode for stage in (2, 3, 1) if stage in conflict.stages), PLAIN_FILE)


def modes_of(conflict: Conflict, solved: Tree, merged: Tree) -> frozenset[int]:
    """The modes that a resolved path may have: as the key's, as Git merges it, and as a side's where it is
    new on both."""
    modes = {tree[conflict.path].mode for tree in (solved, merged) if conflict.path in tree}
    if 1 not in conflict.stages:
        modes |= {blob.mode for blob in conflict.stages.values()}
    return frozenset(modes)
