"""Conflict markers that were left behind, whole, in part or in disguise.

Whether a line is a leftover can't be told from the line alone: a heading underlined with seven equal signs
looks like one. So the lines that the merge itself had are taken out first (see `core.grading.readings`), and
this module judges only lines that nothing else explains.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.lines import Lines, bare

Sureness = Literal["sure", "likely", "possible"]

_SIGNS = pattern(r"([<>|=])\1\1")
_WHOLE = pattern(r"([<>|=])\1{6,}(?: .*)?")
_COMMENT = r"(?:#+|//+|--+|;+|/\*+|<!--|\*|%+|\"|'|rem\b)"
_DISGUISED = pattern(rf"\s*(?:{_COMMENT}\s*)?(?:<{{7,}}|>{{7,}}|\|{{7,}}|={{7,}})(?: .*)?", re.IGNORECASE)
_SHORTENED = pattern(r"\s*(?:<{3,6}|>{3,6})(?: ?(?P<label>\S.*))?")
_ON_A_LINE = pattern(r".*\S\s*(?:<{7}|>{7}|(?<![=\-#~*])={7})(?: .*)?$")


class Marker(Struct, frozen=True):
    """A leftover: the line's number from 1, its text, how sure it is, and what gives it away."""

    line: int
    text: str
    sure: Sureness
    sign: str


def is_whole(line: str) -> bool:
    """Whether the line has the shape of a marker as Git writes it (of seven signs or more)."""
    return _WHOLE.fullmatch(bare(line)) is not None


def looks_like(labels: Collection[str]) -> Callable[[str], bool]:
    """A test for lines that may be a leftover of a conflict with these labels."""
    return lambda line: judged(line, 0, labels) is not None


def has_signs(lines: Lines) -> bool:
    """Whether any line has the signs that a marker, or a part of one, is made of."""
    return any(_SIGNS.search(line) for line in lines)


def judged(line: str, number: int, labels: Collection[str]) -> Marker | None:
    """Judge a line (its number is from 1) that neither base, ours nor theirs explains.

    `labels` are the names that Git writes behind its markers: branches, commits, HEAD.
    """
    text = bare(line)
    found: tuple[Sureness, str] | None = None
    if _SIGNS.search(text) is None:  # nearly every line: asked many times for every submission
        if text.strip() in labels and text.strip():
            return Marker(number, text, "possible", "the name that stood behind a conflict marker")
        return None
    if _WHOLE.fullmatch(text):
        found = ("sure", "a conflict marker")
    elif _DISGUISED.fullmatch(text):
        found = ("sure", "an indented or commented-out conflict marker")
    elif (short := _SHORTENED.fullmatch(text)) is not None:
        named = short["label"] is not None and _names(short["label"], labels)
        found = ("likely" if named else "possible", "a part of a conflict marker")
    elif _ON_A_LINE.fullmatch(text):
        found = ("likely", "a conflict marker on a line with other text")
    return Marker(number, text, found[0], found[1]) if found else None


def _names(text: str, labels: Collection[str]) -> bool:
    words = text.strip().split()
    return bool(words) and any(word.strip("():") in labels for word in words)


def markers_outside(lines: Lines, expected: Lines, labels: Collection[str]) -> tuple[Marker, ...]:
    """Markers in a file that did not conflict: lines that look like one and that `expected` lacks."""
    own = Counter(map(bare, expected))
    markers = []
    for number, line in enumerate(lines, start=1):
        if own[bare(line)] > 0:
            own[bare(line)] -= 1
        elif (marker := judged(line, number, labels)) and (is_whole(line) or marker.sure != "possible"):
            markers.append(marker)
    return tuple(markers)
