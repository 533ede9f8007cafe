"""The terminal: three colours with a meaning each, always with a sign or a word beside the colour."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from typing import TextIO, TypeVar

from rich.console import Console
from rich.progress import (
    BarColumn,
    MofNCompleteColumn,
    Progress,
    ProgressColumn,
    Task,
    TextColumn,
    TimeRemainingColumn,
)
from rich.text import Text
from rich.theme import Theme

T = TypeVar("T")

_EVERY = 3.0  # seconds between two lines where there is no terminal

# good: as wanted; bad: not as wanted; doubt: in between, or for a person to decide.
THEME = Theme({"good": "green", "bad": "red", "doubt": "yellow", "faint": "dim", "strong": "bold"})

_SIGNS = {"met": "✓", "partly": "~", "missed": "✗", "skipped": "·", "unreadable": "!"}
_ASCII_SIGNS = {"met": "+", "partly": "~", "missed": "x", "skipped": ".", "unreadable": "!"}
STYLES = {"met": "good", "partly": "doubt", "missed": "bad", "skipped": "faint", "unreadable": "bad"}


class _Console(Console):
    """A console whose reader may stop reading: that is no error."""

    def on_broken_pipe(self) -> None:
        """Leave quietly, with what was asked done."""
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        raise SystemExit(0)


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


def with_progress(
    items: Iterable[T], total: int, what: str, *, quiet: bool, size: Callable[[T], int] = lambda _: 1
) -> Iterator[T]:
    """The items, with how far it is on stderr: a bar with rate and time left on a terminal, elsewhere a line
    every few seconds. `size` says how much of `total` an item is."""
    on = console(sys.stderr)
    if quiet or total < 2:
        yield from items
    elif on.is_terminal:
        named = TextColumn("{task.description}")
        columns = (named, BarColumn(), MofNCompleteColumn(), _Rate(), TimeRemainingColumn())
        with Progress(*columns, console=on, transient=True) as progress:
            task = progress.add_task(what, total=total)
            for item in items:
                progress.advance(task, size(item))
                yield item
    else:
        yield from _told_in_lines(items, total, what, size)


class _Rate(ProgressColumn):
    """How many a second."""

    def render(self, task: Task) -> Text:
        """Nothing before there is a rate to tell."""
        return Text(f"{task.speed:.0f}/s" if task.speed else "", style="faint")


def _told_in_lines(items: Iterable[T], total: int, what: str, size: Callable[[T], int]) -> Iterator[T]:
    begun = last = time.monotonic()
    done = 0
    for item in items:
        done += size(item)
        now = time.monotonic()
        if now - last >= _EVERY and done < total:
            last = now
            rate = done / (now - begun)
            left = (total - done) / rate
            print(f"{what}: {done} of {total}, {rate:.0f}/s, {left:.0f} s left", file=sys.stderr, flush=True)
        yield item
