"""A commit graph in the terminal."""

from __future__ import annotations

from rich.console import Console
from rich.text import Text

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.signs import graph_rows
from muddled_orchard.show.terminal.characters import printable, speaks_unicode


def show_graph(on: Console, graph: Graph, indent: int = 2) -> None:
    """The graph, the newest commit first; what a solution makes is hollow."""
    for row in graph_rows(graph, unicode=speaks_unicode(on)):
        line = Text(" " * indent + row.drawn)
        if row.node is not None:
            names = f"({', '.join(row.labels)}) " if row.labels else ""
            line.append("  ").append(printable(names, on), "strong").append(printable(row.node.subject, on))
            line.append(f", {printable(row.node.author, on)}", "faint")
        line.rstrip()
        on.print(line, no_wrap=True, overflow="ellipsis")
