"""A commit graph as SVG: to stand in a page, or as a picture of its own."""

from __future__ import annotations

from html import escape

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.reports.figures.drawing import DOT, Dot, Line, Words, colour_of, drawing
from muddled_orchard.reports.figures.picture import (
    FAINT,
    INK,
    MARGIN,
    NAME_LINE,
    PAPER,
    TITLE_LINE,
    WIDTH,
    Picture,
)

_CLASSES = {"branch": ' class="branch"', "head": ' class="branch"', "author": ' class="faint"'}
_STYLE = f"""
text {{ fill: {INK}; font: 13px "DejaVu Sans", Verdana, sans-serif;
  paint-order: stroke; stroke: {PAPER}; stroke-width: 5px; stroke-linejoin: round; }}
.faint {{ fill: {FAINT}; font-size: 11.5px; }}
.branch {{ font-weight: bold; }}
.title {{ font-size: 22px; font-weight: bold; }}
.name {{ font-size: 17px; fill: {FAINT}; }}
"""


def graph_svg(graph: Graph) -> str:
    """The picture; its colours suit light and dark paper, its text is the page's."""
    drawn = drawing(graph)
    size = f'width="{drawn.width:g}" height="{drawn.height:g}"'
    parts = [f'<svg viewBox="0 0 {drawn.width:g} {drawn.height:g}" {size} aria-hidden="true">']
    parts += map(_line, drawn.lines)
    parts += map(_dot, drawn.dots)
    parts += map(_words, drawn.words)
    return "\n".join((*parts, "</svg>"))


def picture_svg(picture: Picture) -> str:
    """A picture that stands alone; what the solution makes is hollow, what a merge brings in is dashed."""
    size = f'width="{WIDTH}" height="{picture.height:g}"'
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {picture.height:g}" {size}>',
        f"<title>{escape(picture.title)}</title>",
        f"<style>{_STYLE}</style>",
        f'<rect width="100%" height="100%" fill="{PAPER}"/>',
        f'<text class="title" x="{MARGIN}" y="{TITLE_LINE}">{escape(picture.title)}</text>',
    ]
    for panel in picture.panels:
        line = panel.top - TITLE_LINE + NAME_LINE
        parts.append(f'<text class="name" x="{MARGIN}" y="{line:g}">{escape(panel.name)}</text>')
        parts.append(f'<g transform="translate({MARGIN} {panel.top:g}) scale({picture.scale:g})">')
        parts += (_line(line, dashed=line.merged) for line in panel.drawn.lines)
        parts += (_dot(one, hollow=one.new) for one in panel.drawn.dots)
        parts += (_words(word, coloured=word.kind in ("branch", "head")) for word in panel.drawn.words)
        parts.append("</g>")
    return "\n".join((*parts, "</svg>\n"))


def told(graph: Graph) -> str:
    """The same for who can't see it: each commit with its branch, in order."""
    texts = []
    for node in graph.nodes:
        names = f", where {' and '.join(node.branches)} stands" if node.branches else ""
        lane = graph.lanes[node.lane] if graph.lanes else ""
        texts.append(f'on {lane}: "{node.subject}" by {node.author}{names}')
    return "; ".join(texts)


def _line(line: Line, *, dashed: bool = False) -> str:
    (x1, y1), (c1, d1), (c2, d2), (x2, y2) = line.bend
    way = f"M{line.begin[0]:g},{line.begin[1]:g} L{x1:g},{y1:g} C{c1:g},{d1:g} {c2:g},{d2:g} {x2:g},{y2:g}"
    way += f" L{line.end[0]:g},{line.end[1]:g}"
    more = ' stroke-dasharray="8 4"' if dashed else ""
    return f'<path d="{way}" fill="none" stroke="{colour_of(line.lane)}" stroke-width="3"{more}/>'


def _dot(dot: Dot, *, hollow: bool = False) -> str:
    colour = colour_of(dot.lane)
    filled = f'fill="{PAPER}" stroke="{colour}" stroke-width="3"' if hollow else f'fill="{colour}"'
    return f'<circle cx="{dot.at[0]:g}" cy="{dot.at[1]:g}" r="{DOT}" {filled}/>'


def _words(words: Words, *, coloured: bool = False) -> str:
    kind = _CLASSES.get(words.kind, "")
    kind += f' style="fill: {colour_of(words.lane)}"' if coloured else ""
    place = f'x="{words.at[0]:g}" y="{words.at[1]:g}" text-anchor="middle"'
    return f"<text{kind} {place}>{escape(words.text)}</text>"
