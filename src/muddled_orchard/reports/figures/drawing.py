"""A commit graph as lines, dots and words in one plane: the one way to lay it out, whatever it is drawn on.

Time goes from left to right, a lane for each branch. A line changes its lane between two columns, where no
words stand.
"""

from __future__ import annotations

import functools
import textwrap
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from muddled_orchard.core.key.graph import Graph, Node

STEP, _LEFT, _TOP = 170, 85, 26
DOT, LINE = 8, 16
_LETTERS, _MOST_LINES, _LONGEST_NAME = 18, 3, 24
_BEND = 14
_UNDER, _OVER = 27, 17

COLOURS = ("#5d8540", "#bf5a38", "#3f7fa8", "#a57f22", "#8d588f", "#4b948a", "#828282")
"""A colour for each lane, in turn; each stands out on light and dark paper."""

Point = tuple[float, float]
Kind = Literal["branch", "head", "subject", "author"]


@dataclass(frozen=True, slots=True)
class Line:
    """A line from a commit to one that grew from it, straight but for the curve of `bend`."""

    begin: Point
    bend: tuple[Point, Point, Point, Point]
    end: Point
    lane: int
    merged: bool


@dataclass(frozen=True, slots=True)
class Dot:
    """A commit; `new` ones are made by the solution."""

    at: Point
    lane: int
    new: bool


@dataclass(frozen=True, slots=True)
class Words:
    """A line of text, centred at a place; that is its base line."""

    at: Point
    text: str
    kind: Kind
    lane: int


@dataclass(frozen=True, slots=True)
class Drawing:
    """Everything in it; the first lane is at the top. Units are those of the words: letters of 13 units."""

    width: float
    height: float
    lines: tuple[Line, ...]
    dots: tuple[Dot, ...]
    words: tuple[Words, ...]


def colour_of(lane: int) -> str:
    """The colour of a lane."""
    return COLOURS[lane % len(COLOURS)]


@functools.lru_cache(maxsize=512)  # a class shares most of its graphs
def drawing(graph: Graph) -> Drawing:
    """Lay a graph out."""
    above, below = [0] * max(1, len(graph.lanes)), [1] * max(1, len(graph.lanes))
    for node in graph.nodes:
        above[node.lane] = max(above[node.lane], len(node.branches))
        below[node.lane] = max(below[node.lane], len(wrapped(node.subject)) + 1)
    tops, height = [], _TOP / 2
    for up, down in zip(above, below, strict=True):
        tops.append(height + (_OVER + LINE * up if up else 2 * DOT))
        height = tops[-1] + _UNDER + LINE * down
    at = {node.id: (float(_LEFT + STEP * node.place), float(tops[node.lane])) for node in graph.nodes}
    nodes = {node.id: node for node in graph.nodes}
    lines = [
        _line(at[parent], at[node.id], nodes[parent], node, merged=number > 0)
        for node in graph.nodes
        for number, parent in enumerate(node.parents)
    ]
    return Drawing(
        width=2 * _LEFT + STEP * max(0, len(graph.nodes) - 1),
        height=height,
        lines=tuple(lines),
        dots=tuple(Dot(at[node.id], node.lane, node.new) for node in graph.nodes),
        words=tuple(words for node in graph.nodes for words in _words(node, *at[node.id])),
    )


def _line(old: Point, new: Point, older: Node, newer: Node, *, merged: bool) -> Line:
    """Along the lane that is empty there: a new branch leaves at once, a merged one comes in at last."""
    leaves = newer.lane > older.lane
    middle = old[0] + STEP / 2 if leaves else new[0] - STEP / 2
    begin, end = (middle - _BEND, old[1]), (middle + _BEND, new[1])
    bend = (begin, (middle, old[1]), (middle, new[1]), end)
    return Line(old, bend, new, max(older.lane, newer.lane), merged)


def _words(node: Node, x: float, y: float) -> Iterator[Words]:
    for number, name in enumerate(reversed(node.branches)):
        head = node.head and number == len(node.branches) - 1
        shown = (
            textwrap.shorten(name, _LONGEST_NAME, placeholder="...") if " " in name else name[:_LONGEST_NAME]
        )
        label = f"{shown} (HEAD)" if head else shown
        yield Words((x, y - _OVER - LINE * number), label, "head" if head else "branch", node.lane)
    subject = wrapped(node.subject)
    for number, line in enumerate(subject):
        yield Words((x, y + _UNDER + LINE * number), line, "subject", node.lane)
    yield Words((x, y + _UNDER + LINE * len(subject)), node.author, "author", node.lane)


@functools.lru_cache(maxsize=512)
def wrapped(subject: str) -> tuple[str, ...]:
    """A subject in lines that fit below a commit."""
    return tuple(textwrap.wrap(subject, _LETTERS, max_lines=_MOST_LINES, placeholder=" ..."))
