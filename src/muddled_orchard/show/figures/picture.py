"""The graph of a scenario as a picture for a slide: handed out on the left, wanted on the right."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.drawing import WIDE, Drawing, drawing

WIDTH = 1280
INK, FAINT, PAPER = "#26262b", "#77736b", "#fbfaf6"
MARGIN, TITLE_LINE, NAME_LINE = 20, 34, 14
_TOP, _HEADING, _GUTTER = 60, 34, 30
_SLIDE, _SMALLEST = 800, 0.7
_HALF = (WIDTH - 2 * MARGIN - _GUTTER) / 2


class Panel(Struct, frozen=True):
    """A graph in a picture: its name, what is drawn, and its upper left corner in pixels."""

    name: str
    drawn: Drawing
    left: float
    top: float


class Picture(Struct, frozen=True):
    """A whole picture: its title, its panels, how many pixels a unit of their drawings takes, its height in
    pixels."""

    title: str
    panels: tuple[Panel, ...]
    scale: float
    height: float


def laid_out(title: str, before: Graph, after: Graph | None) -> Picture:
    """The picture of what is handed out and, where that is known, of what is wanted."""
    graphs = {"Handed out": before, **({"After a right solution": after} if after is not None else {})}
    scale, drawings = max(
        (_fitting([drawing(graph, letters) for graph in graphs.values()]) for letters in WIDE),
        key=lambda fitting: fitting[0],
    )
    panels = [
        Panel(name, drawn, MARGIN + number * (_HALF + _GUTTER), _TOP + _HEADING)
        for number, (name, drawn) in enumerate(zip(graphs, drawings, strict=True))
    ]
    height = max(drawn.height for drawn in drawings) * scale
    return Picture(title, tuple(panels), scale, _TOP + _HEADING + height + MARGIN)


def _fitting(drawings: Sequence[Drawing]) -> tuple[float, Sequence[Drawing]]:
    """How large drawings can be beside each other on a slide; the longest stories run on below it."""
    high = (_SLIDE - _TOP - _HEADING) / max(drawn.height for drawn in drawings)
    return min(_HALF / max(drawn.width for drawn in drawings), max(_SMALLEST, high)), drawings
