"""A commit graph in the terminal."""

from __future__ import annotations

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.signs import graph_rows
from muddled_orchard.show.terminal.characters import printable, speaks_unicode
from muddled_orchard.show.terminal.plain import Plain


def show_graph(on: Plain, graph: Graph, indent: int = 2) -> None:
    """The graph, the newest commit first; what a solution makes is hollow."""
    for row in graph_rows(graph, unicode=speaks_unicode(on)):
        drawn = " " * indent + row.drawn
        if row.node is None:
            on.cut((drawn.rstrip(), ""))
            continue
        names = f"({', '.join(row.labels)}) " if row.labels else ""
        author = f", {printable(row.node.author, on)}".rstrip()
        subject = printable(row.node.subject, on)
        on.cut((f"{drawn}  ", ""), (printable(names, on), "strong"), (subject, ""), (author, "faint"))
