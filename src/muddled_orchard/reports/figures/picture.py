"""The graph of a scenario as a picture for a slide: handed out above, wanted below."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.reports.figures.drawing import Drawing, drawing
from muddled_orchard.system.output import write_file

WIDTH = 1280
INK, FAINT, PAPER = "#26262b", "#77736b", "#fbfaf6"
MARGIN, TITLE_LINE, NAME_LINE = 20, 34, 14
_TOP, _HEADING = 60, 34


@dataclass(frozen=True, slots=True)
class Panel:
    """A graph in a picture: its name, what is drawn, and where that begins, in pixels from the top."""

    name: str
    drawn: Drawing
    top: float


@dataclass(frozen=True, slots=True)
class Picture:
    """A whole picture: its title, its panels, how many pixels a unit of their drawings takes, its height in
    pixels."""

    title: str
    panels: tuple[Panel, ...]
    scale: float
    height: float


def draw(title: str, before: Graph, after: Graph, file: Path) -> None:
    """Write the picture; its format is that of the file's name. Raises BadInput where it can't be."""
    form = FORMATS.get(file.suffix.lower())
    if form is None:
        hint = f"End it in {' or '.join(FORMATS)}."
        raise BadInput(Problem(f'"{file.name}" is no name for a picture', hint, file=str(file)))
    write_file(file, form(_laid_out(title, before, after)))


def _laid_out(title: str, before: Graph, after: Graph) -> Picture:
    drawings = {"Handed out": drawing(before), "After a right solution": drawing(after)}
    # Long stories are drawn smaller, so that they fit a slide.
    scale = min(1.0, (WIDTH - 2 * MARGIN) / max(one.width for one in drawings.values()))
    panels, top = [], float(_TOP)
    for name, drawn in drawings.items():
        panels.append(Panel(name, drawn, top + _HEADING))
        top += _HEADING + drawn.height * scale
    return Picture(title, tuple(panels), scale, top)


def _svg(picture: Picture) -> bytes:
    from muddled_orchard.reports.figures.svg import picture_svg

    return picture_svg(picture).encode()


def _png(picture: Picture) -> bytes:
    try:
        from muddled_orchard.reports.figures.png import picture_png
    except ModuleNotFoundError:
        hint = "Install it with: pip install 'muddled-orchard[png]'. A file that ends in .svg needs nothing."
        raise BadInput(Problem("a PNG is drawn by matplotlib, which is not installed", hint)) from None
    return picture_png(picture)


FORMATS: Mapping[str, Callable[[Picture], bytes]] = {".png": _png, ".svg": _svg}
"""What draws a picture, by the ending of the file. What it needs is loaded when it is asked for."""
