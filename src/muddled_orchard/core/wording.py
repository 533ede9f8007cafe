"""Small pieces of sentences."""

from __future__ import annotations

from collections.abc import Sequence


def listed(words: Sequence[str], most: int = 4) -> str:
    """`a`, `a and b`, `a, b and c`; a long list is cut short."""
    if not words:
        return ""
    if len(words) > most:
        return ", ".join(words[: most - 1]) + f" and {len(words) - most + 1} more"
    return " and ".join(part for part in (", ".join(words[:-1]), words[-1]) if part)


def counted(number: int, word: str) -> str:
    """`1 hunk`, `3 hunks`."""
    return f"{number} {word}{'' if number == 1 else 's'}"
