"""Texts as lines, and when two lines count as the same.

Lines keep their endings, so that joining them gives the text back. Bytes that are no UTF-8 survive
the way through a string (`surrogateescape`).
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable
from typing import Literal

from muddled_orchard.core.base.limits import LARGEST_TEXT, MOST_LINES

Lines = tuple[str, ...]

# A whole class has most of its texts in common; only small ones are remembered, to bound what that takes.
_SMALL, _FEW, _SHORT = 1 << 15, 500, 200


def lines_of(data: bytes | str) -> Lines:
    """The lines of a text. Only a line feed ends a line, as for Git; a last line may lack it."""
    return _remembered_lines(data) if len(data) < _SMALL else _lines_of(data)


def _lines_of(data: bytes | str) -> Lines:
    text = data if isinstance(data, str) else data.decode("utf-8", "surrogateescape")
    *whole, last = text.split("\n")
    lines = [line + "\n" for line in whole]
    return (*lines, last) if last else tuple(lines)


@functools.lru_cache(maxsize=1024)
def _remembered_lines(data: bytes | str) -> Lines:
    return tuple(_shared(line) if len(line) < _SHORT else line for line in _lines_of(data))


@functools.lru_cache(maxsize=1 << 14)
def _shared(line: str) -> str:
    """The same line in all versions of a file, of which a history has hundreds: they differ in few."""
    return line


def is_binary(data: bytes) -> bool:
    """Git's own test: a zero byte among the first 8,000."""
    return b"\0" in data[:8000]


def by_lines(data: bytes) -> bool:
    """Whether a content is compared line by line: it is no binary one, and not larger than that may be."""
    if is_binary(data) or len(data) > LARGEST_TEXT:
        return False
    return len(data) <= MOST_LINES or data.count(b"\n") <= MOST_LINES


def bare(line: str) -> str:
    """The line without its ending."""
    return line.rstrip("\r\n")


def alike(spacing: SpacingRule) -> Callable[[Iterable[str]], Lines]:
    """What turns lines into forms that are equal exactly when the rule says that the lines are."""
    form = _FORMS[spacing]

    def formed(lines: Iterable[str]) -> Lines:
        given = lines if isinstance(lines, tuple) else tuple(lines)
        return _remembered_form(form, given) if len(given) < _FEW else tuple(map(form, given))

    return formed


@functools.lru_cache(maxsize=2048)
def _remembered_form(form: Callable[[str], str], lines: Lines) -> Lines:
    return tuple(map(form, lines))


_FORMS: dict[str, Callable[[str], str]] = {
    "exact": lambda line: line,
    "line-ends": str.rstrip,
    "loose": lambda line: " ".join(line.split()),
}


SpacingRule = Literal["exact", "line-ends", "loose"]
