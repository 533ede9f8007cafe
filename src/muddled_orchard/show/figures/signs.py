"""A commit graph as lines of text, for terminals and mails."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from muddled_orchard.core.key.graph import Graph, Node
from muddled_orchard.core.key.graph_layout import Layout, Route, layout
from muddled_orchard.show.figures.drawing import label_text

_UP, _DOWN, _LEFT, _RIGHT = 1, 2, 4, 8
_DRAWN = " \u2575\u2577\u2502\u2574\u256f\u256e\u2524\u2576\u2570\u256d\u251c\u2500\u2534\u252c\u253c"
"""A sign for each set of directions in which lines leave a place."""
_ASCII = " |||-++|-++|-+++"


class TextRow(Struct, frozen=True):
    """A line of text: what is drawn at its left, and the commit that stands there, if one does."""

    drawn: str
    node: Node | None

    @property
    def labels(self) -> tuple[str, ...]:
        """The names that stand at the commit, as Git's log writes them."""
        return tuple(label_text(self.node, name) for name in self.node.branches) if self.node else ()


def graph_rows(graph: Graph, *, unicode: bool = True) -> list[TextRow]:
    """The graph line by line, the newest commit first; new commits are hollow."""
    laid = layout(graph)
    signs = _DRAWN if unicode else _ASCII
    rows = []
    for node, cells in _cells(laid):
        drawn = [_sign(cell, signs) for cell in cells]
        if node is not None:
            dots = "\u25cf\u25cb" if unicode else "*o"
            drawn[2 * node.lane] = dots[1] if node.new else dots[0]
        rows.append(TextRow("".join(drawn).ljust(2 * laid.columns - 1), node))
    return rows


def graph_lines(graph: Graph, *, unicode: bool = True) -> Iterator[str]:
    """The same with subject, names and author behind each commit."""
    for row in graph_rows(graph, unicode=unicode):
        names = f"({', '.join(row.labels)}) " if row.labels else ""
        told = f"  {names}{row.node.subject}, {row.node.author}" if row.node else ""
        yield f"{row.drawn}{told}".rstrip()


def _sign(cell: tuple[int, int], signs: str) -> str:
    """One that passes from top to bottom hides one that passes from side to side: they don't meet."""
    passing, meeting = cell
    if passing & (_UP | _DOWN) and not meeting:
        return signs[_UP | _DOWN]
    return signs[passing | meeting]


def _cells(laid: Layout) -> Iterator[tuple[Node | None, list[tuple[int, int]]]]:
    """Line by line: the commit, and for each place the directions of lines that pass there, and of lines that
    begin, bend or end there."""
    enters = {route.newer for route in laid.routes if route.column != route.end}
    leaves = {route.older for route in laid.routes if route.column != route.begin}
    places: dict[tuple[str, int], int] = {}
    for row in range(len(laid.rows)):
        for kind in ("leave", "commit", "enter"):
            if kind == "commit" or row in (leaves if kind == "leave" else enters):
                places[kind, row] = len(places)
    width = 2 * laid.columns - 1
    passing = [[0] * width for _ in places]
    meeting = [[0] * width for _ in places]
    for route in laid.routes:
        _draw(route, places, passing, meeting)
    for (kind, row), line in places.items():
        node = laid.rows[row] if kind == "commit" else None
        yield node, list(zip(passing[line], meeting[line], strict=True))


def _draw(
    route: Route, places: dict[tuple[str, int], int], passing: list[list[int]], meeting: list[list[int]]
) -> None:
    top, bottom = places["commit", route.newer], places["commit", route.older]
    if route.column != route.end:
        top = places["enter", route.newer]
        _bend(top, 2 * route.end, 2 * route.column, _UP, _DOWN, passing, meeting)
    if route.column != route.begin:
        bottom = places["leave", route.older]
        _bend(bottom, 2 * route.begin, 2 * route.column, _DOWN, _UP, passing, meeting)
    for line in range(top + 1, bottom):
        passing[line][2 * route.column] |= _UP | _DOWN


def _bend(
    line: int, at: int, to: int, near: int, far: int, passing: list[list[int]], meeting: list[list[int]]
) -> None:
    """A line from side to side: `near` is where it goes at its commit's column, `far` at its own."""
    step = 1 if to > at else -1
    ahead, back = (_RIGHT, _LEFT) if step > 0 else (_LEFT, _RIGHT)
    meeting[line][at] |= near | ahead
    meeting[line][to] |= far | back
    for place in range(at + step, to, step):
        passing[line][place] |= _LEFT | _RIGHT
