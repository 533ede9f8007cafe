"""Words that sentences of several kinds share."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import counted, listed, times, was
from muddled_orchard.core.git.under_way import UNDER_WAY


def names_of(names: Sequence[str], count: int) -> str:
    """`a`, `a and b`; of more than four the first three."""
    return listed(names) if count <= 4 else f"{', '.join(names[:3])} and {count - 3} more"


def given_up_in_words(rebases: int, resets: int, patches: int) -> str:
    """That operations were given up, without a capital; nothing where none were."""
    parts = [f"{counted(rebases, 'rebase')} {was(rebases)} aborted"] if rebases else []
    if patches:
        parts.append(f"applying patches was given up {times(patches)}")
    if resets:
        what = "something was given up or put aside"
        parts.append(f"{what} {times(resets)}, as git merge --abort and git stash do")
    return listed(parts)


def unfinished(under_way: str | None) -> str:
    """That an operation is in progress, without a full stop."""
    known = UNDER_WAY.get(under_way or "")
    return known.unfinished if known else "Something is unfinished"
