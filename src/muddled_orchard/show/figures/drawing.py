"""A commit graph as lines, dots, labels and words in one plane, for whatever draws them."""

from __future__ import annotations

import functools
import textwrap
from collections.abc import Iterator
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.key.graph import DETACHED, Graph, Node
from muddled_orchard.core.key.graph_layout import Route, layout

NARROW, WIDE = 34, (46, 60, 80)
"""How many letters may stand beside the lines: on a telephone, and on half a slide."""

DOT, COLUMN = 6, 18
LETTER, LABEL_LETTER = 7.6, 7.4
LABEL_HEIGHT = 18
_LEFT, _TOP, _TEXT, _LINE, _BETWEEN = 12, 6, 12, 18, 8
_MOST_LINES, _LONGEST_LABEL = 2, 30
_BEND = 16

COLOURS = ("#5d8540", "#bf5a38", "#3f7fa8", "#a57f22", "#8d588f", "#4b948a", "#828282")
"""A colour for each lane, in turn; each stands out on light and dark paper."""

Point = tuple[float, float]
LabelKind = Literal["head", "branch", "remote"]


class Line(Struct, frozen=True):
    """A line from a commit up to one that grew from it: a curve into its column, straight on, and a curve
    out of it. Each curve is four points (cubic Bezier)."""

    leave: tuple[Point, Point, Point, Point]
    enter: tuple[Point, Point, Point, Point]
    lane: int
    merged: bool


class Dot(Struct, frozen=True):
    """A commit; `new` ones are made by the solution."""

    at: Point
    lane: int
    new: bool


class Label(Struct, frozen=True):
    """A branch's name in a box: its upper left corner, and its width."""

    at: Point
    width: float
    text: str
    kind: LabelKind
    lane: int


class Words(Struct, frozen=True):
    """A line of a commit's subject that begins at a place, on its base line; and its author, behind it."""

    at: Point
    text: str
    author: str = ""


class Drawing(Struct, frozen=True):
    """Everything in it. Units are those of the words: letters of 13 units."""

    width: float
    height: float
    lines: tuple[Line, ...]
    dots: tuple[Dot, ...]
    labels: tuple[Label, ...]
    words: tuple[Words, ...]


def colour_of(lane: int) -> str:
    """The colour of a lane."""
    return COLOURS[lane % len(COLOURS)]


def label_kind(node: Node, name: str) -> LabelKind:
    """What a name at a commit is: the branch that is checked out, a branch, or one of the remote."""
    if is_on_remote(name):
        return "remote"
    return "head" if node.head and name == node.branches[0] else "branch"


def label_text(node: Node, name: str) -> str:
    """A name as Git writes it in its log: `HEAD -> main` for what is checked out."""
    return f"HEAD -> {name}" if label_kind(node, name) == "head" and name != DETACHED else name


@functools.lru_cache(maxsize=512)  # a class shares most of its graphs
def drawing(graph: Graph, letters: int = NARROW) -> Drawing:
    """Lay a graph out with so many letters beside its lines."""
    laid = layout(graph)
    left = _LEFT + COLUMN * (laid.columns - 1) + DOT + _TEXT
    labels: list[Label] = []
    words: list[Words] = []
    centres = []
    top = float(_TOP)
    for node in laid.rows:
        centres.append(top + LABEL_HEIGHT / 2)
        beside = list(_labels(node, left, top, letters * LETTER))
        labels += beside
        top = beside[-1].at[1] + LABEL_HEIGHT + 2 if beside else top
        lines = list(_words(node, left, top, letters))
        words += lines
        top = lines[-1].at[1] + _BETWEEN
    at = [(_LEFT + COLUMN * node.lane, y) for node, y in zip(laid.rows, centres, strict=True)]
    return Drawing(
        width=left + letters * LETTER,
        height=top + _TOP,
        lines=tuple(_line(route, at[route.older][1], at[route.newer][1]) for route in laid.routes),
        dots=tuple(Dot(place, node.lane, node.new) for node, place in zip(laid.rows, at, strict=True)),
        labels=tuple(labels),
        words=tuple(words),
    )


def _line(route: Route, older: float, newer: float) -> Line:
    begin, column, end = (_LEFT + COLUMN * lane for lane in (route.begin, route.column, route.end))
    bend = min(_BEND, (older - newer) / 2)
    return Line(
        leave=((begin, older), (begin, older - bend / 2), (column, older - bend / 2), (column, older - bend)),
        enter=((column, newer + bend), (column, newer + bend / 2), (end, newer + bend / 2), (end, newer)),
        lane=route.lane,
        merged=route.merged,
    )


def _labels(node: Node, left: float, top: float, width: float) -> Iterator[Label]:
    """The names at a commit, beside each other as far as they fit."""
    x = left
    for name in node.branches:
        text = brief(label_text(node, name), _LONGEST_LABEL)
        wide = len(text) * LABEL_LETTER + 12
        if x > left and x + wide > left + width:
            x, top = left, top + LABEL_HEIGHT + 3
        yield Label((x, top), wide, text, label_kind(node, name), node.lane)
        x += wide + 6


def _words(node: Node, left: float, top: float, letters: int) -> Iterator[Words]:
    """Subject and author, on one line where both fit."""
    subject = textwrap.wrap(node.subject, letters, max_lines=_MOST_LINES, placeholder=" ...")
    author = brief(node.author, letters)
    if not subject or len(subject[-1]) + len(author) + 3 > letters:
        subject.append("")
    for number, line in enumerate(subject):
        last = number == len(subject) - 1
        yield Words((left, top + 13 + _LINE * number), line, author if last else "")
