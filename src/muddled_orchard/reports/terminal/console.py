"""The terminal: three colours with a meaning each, always with a sign or a word beside the colour."""

from __future__ import annotations

import sys
from typing import TextIO

from rich.console import Console
from rich.theme import Theme

# good: as wanted; bad: not as wanted; doubt: in between, or for a person to decide.
THEME = Theme({"good": "green", "bad": "red", "doubt": "yellow", "faint": "dim", "strong": "bold"})

_SIGNS = {"met": "✓", "partly": "~", "missed": "✗", "skipped": "·", "unreadable": "!"}
_ASCII_SIGNS = {"met": "+", "partly": "~", "missed": "x", "skipped": ".", "unreadable": "!"}
STYLES = {"met": "good", "partly": "doubt", "missed": "bad", "skipped": "faint", "unreadable": "bad"}


class _Console(Console):
    """A console that leaves it to the program what is done when nobody reads any more."""

    def on_broken_pipe(self) -> None:
        """Called where a BrokenPipeError is caught; it goes on."""
        raise  # noqa: PLE0704


def console(stream: TextIO | None = None) -> Console:
    """A console for stdout (or another stream): no colour where that is no terminal or NO_COLOR is set,
    and no markup, so that no text from a repository can pass for ours."""
    return _Console(file=stream or sys.stdout, theme=THEME, markup=False, highlight=False, emoji=False)


def speaks_unicode(on: Console) -> bool:
    """Whether the terminal can show more than ASCII."""
    try:
        "✓✗─│".encode(on.encoding)
    except (UnicodeEncodeError, LookupError):
        return False
    return True


def sign(on: Console, verdict: str) -> str:
    """The sign of a verdict."""
    return (_SIGNS if speaks_unicode(on) else _ASCII_SIGNS)[verdict]


def printable(text: str, on: Console | None = None) -> str:
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
