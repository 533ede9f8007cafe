"""A commit graph as SVG, to stand in a page: a lane for each branch, time from left to right."""

from __future__ import annotations

import functools
import textwrap
from html import escape

from muddled_orchard.core.graph import Graph, Node

_COLOURS = ("#5d8540", "#bf5a38", "#3f7fa8", "#a57f22", "#8d588f", "#4b948a", "#828282")
_STEP, _LANE, _LEFT, _TOP = 150, 96, 74, 34


def graph_svg(graph: Graph) -> str:
    """The picture; its colours suit light and dark paper, its text is the page's."""
    width = _LEFT * 2 + _STEP * max(0, len(graph.nodes) - 1)
    height = _TOP + _LANE * max(1, len(graph.lanes))
    at = {node.id: node for node in graph.nodes}
    parts = [f'<svg viewBox="0 0 {width} {height}" width="{width}" height="{height}" aria-hidden="true">']
    for node in graph.nodes:
        parts += [_line(at[parent], node) for parent in node.parents]
    parts += [_node(node) for node in graph.nodes]
    return "\n".join((*parts, "</svg>"))


def told(graph: Graph) -> str:
    """The same for who can't see it: each commit with its branch, in order."""
    said = []
    for node in graph.nodes:
        names = f", where {' and '.join(node.branches)} stands" if node.branches else ""
        lane = graph.lanes[node.lane] if graph.lanes else ""
        said.append(f'on {lane}: "{node.subject}" by {node.author}{names}')
    return "; ".join(said)


def _place(node: Node) -> tuple[int, int]:
    return _LEFT + _STEP * node.place, _TOP + _LANE * node.lane


def _line(older: Node, newer: Node) -> str:
    (x1, y1), (x2, y2) = _place(older), _place(newer)
    colour = _COLOURS[max(older.lane, newer.lane) % len(_COLOURS)]
    bend = f"M{x1},{y1} C{x1 + 60},{y1} {x2 - 90},{y2} {x2 - 40},{y2} L{x2},{y2}"
    return f'<path d="{bend}" fill="none" stroke="{colour}" stroke-width="3"/>'


def _node(node: Node) -> str:
    x, y = _place(node)
    colour = _COLOURS[node.lane % len(_COLOURS)]
    parts = [f'<circle cx="{x}" cy="{y}" r="8" fill="{colour}"/>']
    names = [f"{name} (HEAD)" if node.head and not n else name for n, name in enumerate(node.branches)]
    if names:
        label = escape(", ".join(names))
        parts.append(f'<text class="branch" x="{x}" y="{y - 15}" text-anchor="middle">{label}</text>')
    lines = [*_wrapped(node.subject), node.author]
    for number, line in enumerate(lines):
        kind = ' class="faint"' if number == len(lines) - 1 else ""
        parts.append(
            f'<text{kind} x="{x}" y="{y + 26 + 15 * number}" text-anchor="middle">{escape(line)}</text>'
        )
    return "\n".join(parts)


@functools.lru_cache(maxsize=512)  # a class shares most of its subjects
def _wrapped(subject: str) -> list[str]:
    return textwrap.wrap(subject, 20, max_lines=3, placeholder=" ...")
