"""What is remembered for a while, and how much of it."""

from __future__ import annotations

from typing import TypeVar

Memo = TypeVar("Memo")
Known = TypeVar("Known")


def remember(known: dict[Memo, Known], memo: Memo, found: Known, most: int) -> None:
    """Add what was found, and forget the oldest where it would become more than `most`."""
    if memo not in known and len(known) >= most:
        del known[next(iter(known))]
    known[memo] = found
