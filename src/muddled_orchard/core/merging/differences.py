"""Two versions of a text beside each other: which lines differ, and which words of them."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.lines import bare, is_binary, lines_of

_AROUND = 2


class ChangedLine(Struct, frozen=True):
    """A line of a change: ` ` it stays, `-` it goes, `+` it comes, `@` lines are left out before it."""

    sign: Literal[" ", "-", "+", "@"]
    text: str


def changed_lines(before: bytes | None, after: bytes | None) -> tuple[ChangedLine, ...]:
    """The changed lines of a text with some around them; nothing for what is no text."""
    if any(data is not None and is_binary(data) for data in (before, after)):
        return ()
    old, new = ([bare(line) for line in lines_of(data or b"")] for data in (before, after))
    return tuple(_grouped(old, new))


def _grouped(before: Sequence[str], after: Sequence[str]) -> Iterator[ChangedLine]:
    matcher = difflib.SequenceMatcher(None, before, after, autojunk=False)
    for number, group in enumerate(matcher.get_grouped_opcodes(_AROUND)):
        if number or group[0][1]:
            yield ChangedLine("@", f"line {group[0][3] + 1}")
        for tag, old, old_end, new, new_end in group:
            if tag == "equal":
                yield from (ChangedLine(" ", line) for line in before[old:old_end])
                continue
            yield from (ChangedLine("-", line) for line in before[old:old_end])
            yield from (ChangedLine("+", line) for line in after[new:new_end])


class Piece(Struct, frozen=True):
    """A piece of a line, and whether it is changed."""

    text: str
    changed: bool


_WORD = pattern(r"\w+|\s+|[^\w\s]")


def marked_within(base: Sequence[str], side: Sequence[str]) -> list[list[Piece]]:
    """The lines of a side, each in pieces: what is not as in the base is changed.

    Lines are compared in order first; a line that replaces one is compared with it word by word.
    """
    old, new = [bare(line) for line in base], [bare(line) for line in side]
    marked: list[list[Piece]] = []
    for tag, a, b, c, d in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        for place, line in enumerate(new[c:d]):
            if tag == "equal":
                marked.append([Piece(line, changed=False)])
            elif a + place < b:
                marked.append(_by_words(old[a + place], line))
            else:
                marked.append([Piece(line, changed=True)])
    return marked


def removed_within(base: Sequence[str], sides: Sequence[Sequence[str]]) -> list[list[Piece]]:
    """The lines of the base, each in pieces: what at least one side no longer has is changed."""
    marked = [marked_within(side, base) for side in sides]
    found: list[list[Piece]] = []
    for line, views in zip(base, zip(*marked, strict=True) if marked else [()] * len(base), strict=True):
        letters = [False] * len(bare(line))
        for pieces in views:
            at = 0
            for piece in pieces:
                if piece.changed:
                    letters[at : at + len(piece.text)] = [True] * len(piece.text)
                at += len(piece.text)
        found.append(_pieces(bare(line), letters))
    return found


def _pieces(line: str, changed: Sequence[bool]) -> list[Piece]:
    """A line cut where its letters begin or cease to be changed."""
    cuts = [0, *(at for at in range(1, len(line)) if changed[at] != changed[at - 1]), len(line)]
    parts = [(line[start:end], start) for start, end in pairwise(cuts)]
    return [Piece(text, changed[start]) for text, start in parts if text] or [Piece("", changed=False)]


_LEAST_ALIKE = 0.4


def _by_words(old: str, new: str) -> list[Piece]:
    """A line in pieces against the one that it replaces; whole where the two have little in common."""
    before, after = _WORD.findall(old), _WORD.findall(new)
    matcher = difflib.SequenceMatcher(None, before, after, autojunk=False)
    if matcher.ratio() < _LEAST_ALIKE:
        return [Piece(new, changed=True)]
    pieces: list[Piece] = []
    for tag, _, _, start, end in matcher.get_opcodes():
        if text := "".join(after[start:end]):
            pieces.append(Piece(text, changed=tag != "equal"))
    return pieces or [Piece("", changed=old != new)]


Row = tuple[int | None, int | None, int | None]
"""Lines of ours, the base and theirs that stand beside each other, by place; None: it has none there."""


def rows_beside(ours: Sequence[str], base: Sequence[str], theirs: Sequence[str]) -> list[Row]:
    """Three versions line beside line: what a side inserts has nothing beside it in the base, what it deletes
    leaves its own place empty."""
    matched, inserted = zip(*(_against(base, side) for side in (ours, theirs)), strict=True)
    rows: list[Row] = []
    for at in range(len(base) + 1):
        mine, other = (list(more.get(at, ())) for more in inserted)
        for number in range(max(len(mine), len(other))):
            rows.append(
                (
                    mine[number] if number < len(mine) else None,
                    None,
                    other[number] if number < len(other) else None,
                )
            )
        if at < len(base):
            rows.append((matched[0].get(at), at, matched[1].get(at)))
    return rows


def _against(base: Sequence[str], side: Sequence[str]) -> tuple[dict[int, int], dict[int, list[int]]]:
    """Which line of a side stands beside each of the base, and which stand before one of it."""
    beside: dict[int, int] = {}
    before: dict[int, list[int]] = {}
    for tag, old, old_end, new, new_end in difflib.SequenceMatcher(
        None, base, side, autojunk=False
    ).get_opcodes():
        both = min(old_end - old, new_end - new) if tag in ("equal", "replace") else 0
        beside |= {old + number: new + number for number in range(both)}
        if new + both < new_end:
            before.setdefault(old_end, []).extend(range(new + both, new_end))
    return beside, before
