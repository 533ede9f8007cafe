"""Lines and columns on a terminal, in three colours that have a meaning each, always beside a sign or a word.

Rich, which draws what changes in its place (bars, the board), takes as long to load as `peek` takes for all
else, and for a table of a class of a thousand as long as half of its grading.
"""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Iterable, Iterator, Sequence
from itertools import zip_longest
from typing import TextIO

from muddled_orchard.show.terminal.characters import printable, speaks_unicode

# The styles of `show.terminal.console`, as a terminal is told them (ECMA-48, SGR).
_CODES = {"good": "32", "bad": "31", "doubt": "33", "faint": "2", "strong": "1", "default": "", "": ""}

_NARROWEST = 8
_GAP = "  "

Styled = tuple[str, str]
"""A text on one line and its style, empty for none."""

Cell = str | Styled | list[Styled]
"""A cell of a table: one text, which may have several lines, or pieces of one that has a single line."""


AS_WIDE_AS_NEEDED = 10_000
"""The width of what is no terminal: a record is a line there, and never wrapped."""


def width_of(stream: TextIO) -> int:
    """How many letters a line may have: the variable COLUMNS says it, or the terminal."""
    if "COLUMNS" in os.environ or stream.isatty():
        import shutil  # only a terminal has a width

        return shutil.get_terminal_size().columns
    return AS_WIDE_AS_NEEDED


class Plain:
    """A terminal, or a file, to which lines are written in the styles of all views. What isn't given is as it
    is for the stream; `left` is how many blanks stand before each line."""

    def __init__(
        self,
        stream: TextIO | None = None,
        *,
        width: int | None = None,
        coloured: bool | None = None,
        left: int = 0,
    ) -> None:
        self._stream = stream or sys.stdout
        self.encoding = self._stream.encoding or "utf-8"
        self.width = width_of(self._stream) if width is None else width
        if coloured is None:
            spoken = "NO_COLOR" not in os.environ and os.environ.get("TERM") != "dumb"
            coloured = spoken and self._stream.isatty()
        self._coloured = coloured
        self._left = left

    def beside(self, left: int) -> Plain:
        """The part of it that is so many letters further to the right."""
        narrower, further = self.width - left, self._left + left
        return Plain(self._stream, width=narrower, coloured=self._coloured, left=further)

    def line(self, text: str = "", style: str = "") -> None:
        """Write a text, on several lines with the same indent where it is wider than the terminal."""
        self.styled((text, style))

    def styled(self, *pieces: Styled) -> None:
        """Write pieces one after the other as a text: on several lines with the same indent where they are
        wider than the terminal."""
        whole = "".join(text for text, _ in pieces)
        indent = len(whole) - len(whole.lstrip())
        for line in _broken(_without(pieces, indent), max(self.width - indent, 1)):
            self.unbroken((" " * indent, ""), *line)

    def item(self, mark: Styled, *pieces: Styled) -> None:
        """Write pieces behind a mark, all further lines below the first piece."""
        left = cell_len(mark[0]) + 1
        for number, line in enumerate(_broken(pieces, max(self.width - left, 1))):
            self.unbroken(mark if not number else (" " * (left - 1), ""), (" ", ""), *line)

    def unbroken(self, *pieces: Styled) -> None:
        """Write pieces on one line, however long it is: a command can be copied whole."""
        line = "".join(map(self._styled, pieces)) if any(text.strip() for text, _ in pieces) else ""
        self._stream.write(f"{' ' * self._left if line else ''}{line}\n")

    def cut(self, *pieces: Styled) -> None:
        """Write pieces on one line, as far as they fit."""
        left = self.width
        end = "…" if speaks_unicode(self) else "..."
        kept: list[Styled] = []
        for text, style in pieces:
            if cell_len(text) > left:
                kept.append((f"{_first_cells(text, left - len(end))}{end}", style))
                break
            kept.append((text, style))
            left -= cell_len(text)
        self.unbroken(*kept)

    def columns(
        self,
        rows: Sequence[Sequence[Cell]],
        whole: Sequence[int] = (),
        *,
        right: Sequence[int] = (),
        gap: str = _GAP,
        most: int = 0,
        evenly: int = 0,
        ruled: str = "",
    ) -> None:
        """Write rows of a table, a line of a cell below the other; cells of columns that are not `whole` are
        broken where all is too wide, or wider than `most`. Cells of columns in `right` stand at its right
        side. `gap` stands between columns. `evenly` is the width of every column, where it is not what they
        need; `ruled` is what a line below the first row is made of."""
        needed = [evenly or max(map(_cell_width, column)) for column in zip(*rows, strict=True)]
        if most:
            needed = [min(width, most) for width in needed]
        _narrow(needed, self.width - len(gap) * (len(needed) - 1), whole)
        for number, row in enumerate(rows):
            if ruled and number == 1:
                self.unbroken((ruled * (sum(needed) + len(gap) * (len(needed) - 1)), "faint"))
            cells = [_cell_lines(cell, width) for cell, width in zip(row, needed, strict=True)]
            for parts in zip_longest(*cells, fillvalue=()):
                self._row(parts, needed, right, gap)

    def table(
        self,
        headings: Sequence[str],
        rows: Iterable[Sequence[Cell]],
        whole: Sequence[int] = (),
        right: Sequence[int] = (),
        gap: str = _GAP,
    ) -> None:
        """Write rows below their headings; see `columns`."""
        self.columns([[(heading, "faint") for heading in headings], *rows], whole, right=right, gap=gap)

    def _row(
        self, parts: Sequence[Sequence[Styled]], widths: Sequence[int], right: Sequence[int], gap: str
    ) -> None:
        pieces: list[Styled] = []
        for place, (part, width) in enumerate(zip(parts, widths, strict=True)):
            left = (" " * (width - sum(cell_len(text) for text, _ in part)), "")
            pieces += (left, *part, (gap, "")) if place in right else (*part, left, (gap, ""))
        while pieces and not pieces[-1][0].strip():
            pieces.pop()  # nothing stands behind it
        self.unbroken(*pieces)

    def _styled(self, piece: Styled) -> str:
        text, style = piece
        code = _CODES[style] if self._coloured and text.strip() else ""
        return f"\x1b[{code}m{text}\x1b[0m" if code else text


def show_item(on: Plain, mark: str, text: str, style: str) -> None:
    """A sentence behind a sign, its further lines below its first word."""
    on.item((mark, style), (printable(text, on), style))


def at_the_right(texts: Sequence[str]) -> list[str]:
    """The same texts, as wide as the widest of them, with blanks before them."""
    width = max(map(cell_len, texts), default=0)
    return [" " * (width - cell_len(text)) + text for text in texts]


def cell_len(text: str) -> int:
    """How many letters of a terminal's line a text takes."""
    if text.isascii() or text.translate(_OURS).isascii():
        return len(text)
    from rich.cells import cell_len  # few texts need it

    return cell_len(text)


_OURS = str.maketrans(dict.fromkeys("✓✗·–…◂│─├╯╮╭╰┤┬┴┼●○", "x"))
"""Characters of ours that aren't ASCII, each as wide as a letter."""


def _first_cells(text: str, width: int) -> str:
    from rich.cells import chop_cells

    return chop_cells(text, width)[0] if width > 0 and text else ""


def _cell_width(cell: Cell) -> int:
    if isinstance(cell, list):
        return sum(cell_len(text) for text, _ in cell)
    text = cell if isinstance(cell, str) else cell[0]
    return max(map(cell_len, text.split("\n")))


def _cell_lines(cell: Cell, width: int) -> list[list[Styled]]:
    """The lines of a cell, broken between words where there are any."""
    if isinstance(cell, list):
        return [cell] if _cell_width(cell) <= width else _broken(cell, max(width, 1))
    text, style = (cell, "") if isinstance(cell, str) else cell
    return [part for line in text.split("\n") for part in _wrapped((line, style), width)]


def _narrow(widths: list[int], most: int, whole: Sequence[int]) -> None:
    """Take what is too much from the widest columns."""
    while sum(widths) > most:
        left = [place for place, width in enumerate(widths) if place not in whole and width > _NARROWEST]
        if not left:
            return
        widths[max(left, key=widths.__getitem__)] -= 1


def _wrapped(piece: Styled, width: int) -> list[list[Styled]]:
    """The lines of a text, broken between words where there are any."""
    text, style = piece
    return [[(text.rstrip(), style)]] if cell_len(text) <= width else _broken([piece], max(width, 1))


def _without(pieces: Iterable[Styled], count: int) -> Iterator[Styled]:
    """Pieces without so many letters at their beginning."""
    for text, style in pieces:
        yield text[count:], style
        count = max(0, count - len(text))


def _broken(pieces: Iterable[Styled], width: int) -> list[list[Styled]]:
    """The lines of a text in pieces, broken between words where there are any; at least one."""
    lines: list[list[Styled]] = [[]]
    left = width
    for text, style in pieces:
        for found in re.findall(r"\s*\S+|\s+$", text):
            word = found
            if cell_len(word.rstrip()) > left < width:
                lines.append([])
                left = width
                word = word.lstrip()
            while cell_len(word) > left and word.strip():
                first = _first_cells(word, left) or word[:1]
                lines[-1].append((first, style))
                word = word[len(first) :]
                if word.strip():
                    lines.append([])
                    left = width
            if word.strip() or lines[-1]:
                lines[-1].append((word, style))
                left -= cell_len(word)
    return lines
