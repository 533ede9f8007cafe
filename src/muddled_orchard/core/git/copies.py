"""What a commit's message says of another commit that it copies or takes back."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from muddled_orchard.core.base.patterns import pattern

_PICKED = pattern(r"^\(cherry picked from commit ([0-9a-f]{40})\)$", re.MULTILINE)
_REVERTED = pattern(r"^This reverts commit ([0-9a-f]{40})\b[.,]", re.MULTILINE)
_MAINLINE = pattern(r"reversing\s+changes made to ([0-9a-f]{40})")

Copy = Literal["cherry-pick", "revert"]


def copied_from(message: str) -> tuple[Copy, str] | None:
    """The commit that another one copies or takes back, as its message says it (git-cherry-pick(1) with `-x`,
    git-revert(1)); None where it says nothing."""
    if found := _PICKED.findall(message):
        return "cherry-pick", found[-1]
    if found := _REVERTED.findall(message):
        return "revert", found[-1]
    return None


def side_that_stays(message: str, parents: Sequence[str]) -> str | None:
    """The parent that a copied commit is measured by; None where it has none, or is a merge of which nothing
    says the side that stays."""
    if len(parents) < 2:
        return parents[0] if parents else None
    named = _MAINLINE.search(message)
    return named[1] if named is not None and named[1] in parents else None
