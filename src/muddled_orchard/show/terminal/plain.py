"""Lines and columns on a terminal, for the views that people wait for most: `peek`, `catalogue`.

Rich, which draws the other views, takes longer to load than these commands take for all else, and longer
again for a table of sixty rows.
"""

from __future__ import annotations

import os
import re
import shutil
import sys
from collections.abc import Iterator, Sequence
from itertools import zip_longest
from typing import TextIO

from rich.cells import cell_len, chop_cells

# The styles of `show.terminal.console`, as a terminal is told them (ECMA-48, SGR).
_CODES = {"good": "32", "bad": "31", "doubt": "33", "faint": "2", "strong": "1", "": ""}

_NARROWEST = 8
_GAP = "  "

Styled = tuple[str, str]
"""A text on one line and its style, empty for none."""


AS_WIDE_AS_NEEDED = 10_000
"""The width of what is no terminal: a record is a line there, and never wrapped."""


def width_of(stream: TextIO) -> int:
    """How many letters a line may have: the variable COLUMNS says it, or the terminal."""
    if "COLUMNS" in os.environ or stream.isatty():
        return shutil.get_terminal_size().columns
    return AS_WIDE_AS_NEEDED


class Plain:
    """A terminal, or a file, to which lines are written in the styles of all views."""

    def __init__(self, stream: TextIO | None = None) -> None:
        self._stream = stream or sys.stdout
        self.encoding = self._stream.encoding or "utf-8"
        self.width = width_of(self._stream)
        coloured = "NO_COLOR" not in os.environ and os.environ.get("TERM") != "dumb"
        self._coloured = coloured and self._stream.isatty()

    def line(self, text: str = "", style: str = "") -> None:
        """Write a text, on several lines with the same indent where it is wider than the terminal."""
        indent = " " * (len(text) - len(text.lstrip()))
        for line in _wrapped(text.strip(), self.width - len(indent)):
            self.unbroken((indent + line, style))

    def unbroken(self, *pieces: Styled) -> None:
        """Write pieces on one line, however long it is: a command can be copied whole."""
        self._stream.write("".join(map(self._styled, pieces)) + "\n")

    def columns(self, rows: Sequence[Sequence[Styled]], whole: Sequence[int] = ()) -> None:
        """Write rows of a table; cells of columns that are not `whole` are broken where all is too wide."""
        widths = [max(cell_len(text) for text, _ in column) for column in zip(*rows, strict=True)]
        _narrow(widths, self.width - len(_GAP) * (len(widths) - 1), whole)
        for row in rows:
            cells = [_wrapped(text, width) for (text, _), width in zip(row, widths, strict=True)]
            for parts in zip_longest(*cells, fillvalue=""):
                self._row(parts, widths, [style for _, style in row])

    def _row(self, parts: Sequence[str], widths: Sequence[int], styles: Sequence[str]) -> None:
        pieces: list[Styled] = []
        for part, width, style in zip(parts, widths, styles, strict=True):
            pieces += [(part, style), (" " * (width - cell_len(part)) + _GAP, "")]
        while pieces and not pieces[-1][0].strip():
            pieces.pop()  # nothing stands behind it
        self.unbroken(*pieces)

    def _styled(self, piece: Styled) -> str:
        text, style = piece
        code = _CODES[style] if self._coloured and text.strip() else ""
        return f"\x1b[{code}m{text}\x1b[0m" if code else text


def _narrow(widths: list[int], most: int, whole: Sequence[int]) -> None:
    """Take what is too much from the widest columns."""
    while sum(widths) > most:
        left = [place for place, width in enumerate(widths) if place not in whole and width > _NARROWEST]
        if not left:
            return
        widths[max(left, key=widths.__getitem__)] -= 1


def _wrapped(text: str, width: int) -> list[str]:
    """The lines of a text, broken between words where there are any."""
    return list(_lines(text, max(width, 1))) or [""]


def _lines(text: str, width: int) -> Iterator[str]:
    line = ""
    for word in re.findall(r"\s*\S+", text):
        if line and cell_len(line + word) > width:
            yield line
            line = word.lstrip()
        else:
            line += word
        while cell_len(line) > width:
            first, *rest = chop_cells(line, width)
            yield first
            line = "".join(rest)
    if line:
        yield line
