"""A commit graph as SVG, to stand in a page."""

from __future__ import annotations

from html import escape

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.reports.figures.drawing import COLOURS, DOT, Dot, Line, Words, drawing

_CLASSES = {"branch": ' class="branch"', "head": ' class="branch"', "author": ' class="faint"'}


def graph_svg(graph: Graph) -> str:
    """The picture; its colours suit light and dark paper, its text is the page's."""
    drawn = drawing(graph)
    size = f'width="{drawn.width:g}" height="{drawn.height:g}"'
    parts = [f'<svg viewBox="0 0 {drawn.width:g} {drawn.height:g}" {size} aria-hidden="true">']
    parts += map(_line, drawn.lines)
    parts += map(_dot, drawn.dots)
    parts += map(_words, drawn.words)
    return "\n".join((*parts, "</svg>"))


def told(graph: Graph) -> str:
    """The same for who can't see it: each commit with its branch, in order."""
    said = []
    for node in graph.nodes:
        names = f", where {' and '.join(node.branches)} stands" if node.branches else ""
        lane = graph.lanes[node.lane] if graph.lanes else ""
        said.append(f'on {lane}: "{node.subject}" by {node.author}{names}')
    return "; ".join(said)


def _colour(lane: int) -> str:
    return COLOURS[lane % len(COLOURS)]


def _line(line: Line) -> str:
    (x1, y1), (c1, d1), (c2, d2), (x2, y2) = line.bend
    way = f"M{line.begin[0]:g},{line.begin[1]:g} L{x1:g},{y1:g} C{c1:g},{d1:g} {c2:g},{d2:g} {x2:g},{y2:g}"
    way += f" L{line.end[0]:g},{line.end[1]:g}"
    return f'<path d="{way}" fill="none" stroke="{_colour(line.lane)}" stroke-width="3"/>'


def _dot(dot: Dot) -> str:
    return f'<circle cx="{dot.at[0]:g}" cy="{dot.at[1]:g}" r="{DOT}" fill="{_colour(dot.lane)}"/>'


def _words(words: Words) -> str:
    kind = {"branch": ' class="branch"', "head": ' class="branch"', "author": ' class="faint"'}.get(
        words.kind, ""
    )
    place = f'x="{words.at[0]:g}" y="{words.at[1]:g}" text-anchor="middle"'
    return f"<text{kind} {place}>{escape(words.text)}</text>"
