"""Characters that can be shown: signs of verdicts, names that anybody may have made, long ones shortened."""

from __future__ import annotations

from typing import Protocol

SIGNS = {"met": "✓", "partly": "~", "missed": "✗", "skipped": "·", "unreadable": "!", "look": "?"}
"""The sign of a verdict, and of what a person is to look at."""

_ASCII_SIGNS = {"✓": "+", "✗": "x", "·": "."}

STYLES = {
    "met": "good", "partly": "doubt", "missed": "bad", "skipped": "faint", "unreadable": "bad",
    "look": "doubt", "faint": "faint", "": "default",
}  # fmt: skip
"""The style of a text in such a tone, as the theme and the style sheets have it."""


class Terminal(Protocol):
    """What is written on."""

    @property
    def encoding(self) -> str:
        """The encoding of its characters."""


def speaks_unicode(on: Terminal) -> bool:
    """Whether the terminal can show more than ASCII."""
    try:
        "✓✗─│".encode(on.encoding)
    except (UnicodeEncodeError, LookupError):
        return False
    return True


def sign(on: Terminal, verdict: str) -> str:
    """The sign of a verdict."""
    return SIGNS[verdict] if speaks_unicode(on) else _ASCII_SIGNS.get(SIGNS[verdict], SIGNS[verdict])


def printable(text: str, on: Terminal | None = None) -> str:
    """The text on one line, with control characters spelt out instead of sent to the terminal."""
    shown = text
    if not text.isprintable():
        shown = "".join(letter if letter.isprintable() else repr(letter)[1:-1] for letter in text)
    if on is not None and not speaks_unicode(on):
        shown = shown.encode(on.encoding, "replace").decode(on.encoding)
    return shown


def shortened(path: str, width: int) -> str:
    """A long path, shortened in the middle."""
    if len(path) <= width or width < 5:
        return path
    front = (width - 3) // 2
    return f"{path[:front]}...{path[len(path) - (width - 3 - front) :]}"
