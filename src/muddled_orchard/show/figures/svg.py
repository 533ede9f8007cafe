"""A commit graph as SVG: to stand in a page, or as a picture of its own."""

from __future__ import annotations

from html import escape

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.drawing import (
    DOT,
    LABEL_HEIGHT,
    NARROW,
    Dot,
    Drawing,
    Label,
    Line,
    Words,
    colour_of,
    drawing,
    label_text,
)
from muddled_orchard.show.figures.picture import (
    FAINT,
    INK,
    MARGIN,
    NAME_LINE,
    PAPER,
    TITLE_LINE,
    WIDTH,
    Picture,
)
from muddled_orchard.show.terminal.characters import printable

_STYLE = f"""
svg {{ --paper: {PAPER}; --ink: {INK}; --faint: {FAINT}; }}
text {{ fill: {INK}; font: 13px "DejaVu Sans", Verdana, sans-serif; }}
.faint {{ fill: {FAINT}; font-size: 12px; }}
.label {{ font: bold 12px "DejaVu Sans Mono", ui-monospace, monospace; }}
.remote {{ font-weight: normal; }}
.title {{ font-size: 22px; font-weight: bold; }}
.name {{ font-size: 17px; fill: {FAINT}; }}
"""


def graph_svg(graph: Graph, letters: int = NARROW) -> str:
    """The picture; its colours suit light and dark paper, its text is the page's. So many `letters` stand
    beside its lines."""
    drawn = drawing(graph, letters)
    size = f'width="{drawn.width:g}" height="{drawn.height:g}"'
    parts = [f'<svg class="graph" viewBox="0 0 {drawn.width:g} {drawn.height:g}" {size} aria-hidden="true">']
    return "\n".join((*parts, *_drawn(drawn), "</svg>"))


def picture_svg(picture: Picture) -> str:
    """A picture that stands alone; what the solution makes is hollow, what a merge brings in is dashed."""
    size = f'width="{WIDTH}" height="{picture.height:g}"'
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {picture.height:g}" {size}>',
        f"<title>{_text(picture.title)}</title>",
        f"<style>{_STYLE}</style>",
        f'<rect width="100%" height="100%" fill="{PAPER}"/>',
        f'<text class="title" x="{MARGIN}" y="{TITLE_LINE}">{_text(picture.title)}</text>',
    ]
    for panel in picture.panels:
        line = panel.top - TITLE_LINE + NAME_LINE
        parts.append(f'<text class="name" x="{panel.left:g}" y="{line:g}">{_text(panel.name)}</text>')
        parts.append(f'<g transform="translate({panel.left:g} {panel.top:g}) scale({picture.scale:g})">')
        parts += _drawn(panel.drawn)
        parts.append("</g>")
    return "\n".join((*parts, "</svg>\n"))


def told(graph: Graph) -> str:
    """The same for who can't see it: each commit with its branch, in order."""
    texts = []
    for node in graph.nodes:
        names = [label_text(node, name) for name in node.branches]
        where = f", where {' and '.join(names)} stands" if names else ""
        lane = graph.lanes[node.lane] if graph.lanes else ""
        texts.append(f'on {lane}: "{node.subject}" by {node.author}{where}')
    return "; ".join(texts)


def _drawn(drawn: Drawing) -> list[str]:
    return [
        *map(_line, drawn.lines),
        *map(_dot, drawn.dots),
        *map(_label, drawn.labels),
        *map(_words, drawn.words),
    ]


def _line(line: Line) -> str:
    way = f"{_curve(line.leave)} {_curve(line.enter).replace('M', 'L', 1)}"
    more = ' stroke-dasharray="6 4"' if line.merged else ""
    return f'<path d="{way}" fill="none" stroke="{colour_of(line.lane)}" stroke-width="2.5"{more}/>'


def _curve(points: tuple[tuple[float, float], ...]) -> str:
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = points
    return f"M{x0:g},{y0:g} C{x1:g},{y1:g} {x2:g},{y2:g} {x3:g},{y3:g}"


def _dot(dot: Dot) -> str:
    colour = colour_of(dot.lane)
    fill = "var(--paper)" if dot.new else colour
    place = f'cx="{dot.at[0]:g}" cy="{dot.at[1]:g}" r="{DOT}"'
    return f'<circle {place} style="fill: {fill}" stroke="{colour}" stroke-width="2.5"/>'


def _label(label: Label) -> str:
    """What is checked out is filled, a branch is framed, one of the remote is framed with dashes."""
    x, y = label.at
    colour = colour_of(label.lane)
    fill = colour if label.kind == "head" else "none"
    dashes = ' stroke-dasharray="3 2"' if label.kind == "remote" else ""
    size = f'width="{label.width - 1:g}" height="{LABEL_HEIGHT - 1}" rx="4"'
    box = f'<rect x="{x + 0.5:g}" y="{y + 0.5:g}" {size}'
    ink = "var(--paper)" if label.kind == "head" else "var(--ink)"
    kind = "label remote" if label.kind == "remote" else "label"
    return (
        f'{box} fill="{fill}" stroke="{colour}" stroke-width="1.5"{dashes}/>'
        f'<text class="{kind}" style="fill: {ink}" x="{x + 6:g}" y="{y + 13:g}">{_text(label.text)}</text>'
    )


def _words(words: Words) -> str:
    away = ' dx="9"' if words.text else ""
    author = f'<tspan class="faint"{away}>{_text(words.author)}</tspan>' if words.author else ""
    return f'<text x="{words.at[0]:g}" y="{words.at[1]:g}">{_text(words.text)}{author}</text>'


def _text(text: str) -> str:
    """A text of people as XML has it: without control characters, which are nothing there."""
    return escape(printable(text))
