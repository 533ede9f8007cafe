"""Where each commit and each line of a graph lies: the one layout, whatever it is drawn on.

A row for each commit, the newest at the top as in `git log`; a column for each branch, and more where a line
finds no free one. A line runs in one column, and changes to those of its ends right beside them.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator

from msgspec import Struct

from muddled_orchard.core.key.graph import Graph, Node


class Route(Struct, frozen=True):
    """The line from a commit (row `older`) up to one that grew from it (row `newer`), by `column`.

    `begin` and `end` are the columns of the two commits. A `merged` line comes from a further parent.
    """

    older: int
    newer: int
    begin: int
    column: int
    end: int
    lane: int
    merged: bool


class Layout(Struct, frozen=True):
    """The commits row by row, the newest first; how many columns there are; and every line."""

    rows: tuple[Node, ...]
    columns: int
    routes: tuple[Route, ...]


@functools.lru_cache(maxsize=512)  # a class shares most of its graphs
def layout(graph: Graph) -> Layout:
    """Lay a graph out: no line passes through a commit, and no two from different commits run on each
    other."""
    rows = tuple(reversed(graph.nodes))
    at = {node.id: row for row, node in enumerate(rows)}
    commits: dict[int, set[int]] = {}
    for row, node in enumerate(rows):
        commits.setdefault(node.lane, set()).add(row)
    routes: list[Route] = []
    for older, newer, merged in sorted(_lines(rows, at), key=lambda line: line[0] - line[1]):
        begin, end = rows[older].lane, rows[newer].lane
        # A new branch leaves at once, a merged one comes in at last.
        wanted = (begin, end) if merged or end < begin else (end, begin)
        column = next(c for c in _candidates(wanted) if _is_free(c, older, newer, commits, routes))
        lane = begin if merged else max(begin, end)
        routes.append(Route(older, newer, begin, column, end, lane, merged))
    widest = max((max(route.begin, route.column, route.end) for route in routes), default=0)
    columns = 1 + max(widest, *(node.lane for node in rows), 0)
    return Layout(rows, columns, tuple(sorted(routes, key=lambda route: (route.older, route.newer))))


def _lines(rows: tuple[Node, ...], at: dict[str, int]) -> Iterator[tuple[int, int, bool]]:
    for row, node in enumerate(rows):
        for number, parent in enumerate(node.parents):
            yield at[parent], row, number > 0


def _candidates(wanted: tuple[int, ...]) -> Iterator[int]:
    yield from wanted
    column = max(wanted)
    while True:  # to the right of both, until one is free
        column += 1
        yield column


def _is_free(column: int, older: int, newer: int, commits: dict[int, set[int]], routes: list[Route]) -> bool:
    between = range(newer + 1, older)
    if any(row in between for row in commits.get(column, ())):
        return False
    return not any(
        route.column == column and route.older != older and route.newer < older and newer < route.older
        for route in routes
    )
