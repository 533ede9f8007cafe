"""The graph of a scenario as a picture for a slide: handed out above, wanted below."""

from __future__ import annotations

import io
from pathlib import Path

import matplotlib as mpl
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import PathPatch
from matplotlib.path import Path as Curve
from matplotlib.patheffects import withStroke

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.reports.figures.drawing import COLOURS, Drawing, drawing
from muddled_orchard.system.output import write_file

FORMATS = (".png", ".svg")

_INK, _FAINT, _PAPER = "#26262b", "#77736b", "#fbfaf6"
_WIDTH, _MARGIN, _HEADING = 1240, 20, 34  # of 1280 pixels


def draw(title: str, before: Graph, after: Graph, file: Path) -> None:
    """Write the picture; its format is that of the file's name. Raises BadInput where it can't be."""
    if file.suffix.lower() not in FORMATS:
        raise BadInput(
            Problem(f'"{file.name}" is no name for a picture', "End it in .png or .svg.", file=str(file))
        )
    mpl.rcParams["font.family"] = "DejaVu Sans"
    mpl.rcParams["svg.hashsalt"] = "muddled"
    drawings = [drawing(before), drawing(after)]
    # Long stories are drawn smaller, so that they fit a slide.
    scale = min(1.0, _WIDTH / max(one.width for one in drawings))
    heights = [one.height * scale for one in drawings]
    whole = 60 + sum(heights) + 2 * _HEADING
    figure = Figure(figsize=(12.8, whole / 100), facecolor=_PAPER)
    figure.text(_MARGIN / 1280, 1 - 34 / whole, title, fontsize=16, color=_INK, weight="bold")
    top = 60.0
    for name, one, height in zip(("Handed out", "After a right solution"), drawings, heights, strict=True):
        figure.text(_MARGIN / 1280, 1 - (top + 14) / whole, name, fontsize=12, color=_FAINT)
        top += _HEADING + height
        axes = figure.add_axes((_MARGIN / 1280, 1 - top / whole, one.width * scale / 1280, height / whole))
        _panel(axes, one, scale)
    form = file.suffix.lower().removeprefix(".")
    drawn = io.BytesIO()
    figure.savefig(drawn, format=form, dpi=100, metadata={"Date": None} if form == "svg" else None)
    write_file(file, drawn.getvalue())


def _panel(axes: Axes, drawn: Drawing, scale: float) -> None:
    axes.set_axis_off()
    axes.set_xlim(0, drawn.width)
    axes.set_ylim(drawn.height, 0)
    for line in drawn.lines:
        points = [line.begin, *line.bend, line.end]
        codes = [Curve.MOVETO, Curve.LINETO, Curve.CURVE4, Curve.CURVE4, Curve.CURVE4, Curve.LINETO]
        style = "--" if line.merged else "-"
        axes.add_patch(
            PathPatch(Curve(points, codes), fill=False, lw=2, color=_colour(line.lane), linestyle=style)
        )
    for dot in drawn.dots:
        colour = _colour(dot.lane)
        axes.plot(
            *dot.at, "o", markersize=11 * scale, markerfacecolor=_PAPER if dot.new else colour,
            markeredgecolor=colour, markeredgewidth=2.5, zorder=3,
        )  # fmt: skip
    halo = [withStroke(linewidth=3, foreground=_PAPER)]  # so that lines pass behind the words
    for words in drawn.words:
        branch = words.kind in ("branch", "head")
        colour = {"subject": _INK, "author": _FAINT}.get(words.kind, _colour(words.lane))
        axes.text(
            *words.at, words.text, ha="center", fontsize=9.5 * scale, color=colour, path_effects=halo,
            weight="bold" if branch else "normal", zorder=4,
        )  # fmt: skip


def _colour(lane: int) -> str:
    return COLOURS[lane % len(COLOURS)]
