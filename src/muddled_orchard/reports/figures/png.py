"""A picture of graphs as PNG, by matplotlib: an extra, since it is larger than all else that is installed."""

from __future__ import annotations

import io

import matplotlib as mpl
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import PathPatch
from matplotlib.path import Path as Curve
from matplotlib.patheffects import withStroke

from muddled_orchard.reports.figures.drawing import Drawing, colour_of
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


def picture_png(picture: Picture) -> bytes:
    """The picture, the same wherever it is drawn."""
    mpl.rcParams["font.family"] = "DejaVu Sans"
    whole, scale = picture.height, picture.scale
    figure = Figure(figsize=(WIDTH / 100, whole / 100), facecolor=PAPER)
    left = MARGIN / WIDTH
    figure.text(left, 1 - TITLE_LINE / whole, picture.title, fontsize=16, color=INK, weight="bold")
    for panel in picture.panels:
        drawn = panel.drawn
        line = panel.top - TITLE_LINE + NAME_LINE
        figure.text(left, 1 - line / whole, panel.name, fontsize=12, color=FAINT)
        width, height = drawn.width * scale / WIDTH, drawn.height * scale / whole
        _panel(figure.add_axes((left, 1 - panel.top / whole - height, width, height)), drawn, scale)
    out = io.BytesIO()
    figure.savefig(out, format="png", dpi=100)
    return out.getvalue()


def _panel(axes: Axes, drawn: Drawing, scale: float) -> None:
    axes.set_axis_off()
    axes.set_xlim(0, drawn.width)
    axes.set_ylim(drawn.height, 0)
    for line in drawn.lines:
        points = [line.begin, *line.bend, line.end]
        codes = [Curve.MOVETO, Curve.LINETO, Curve.CURVE4, Curve.CURVE4, Curve.CURVE4, Curve.LINETO]
        style = "--" if line.merged else "-"
        axes.add_patch(
            PathPatch(Curve(points, codes), fill=False, lw=2, color=colour_of(line.lane), linestyle=style)
        )
    for dot in drawn.dots:
        colour = colour_of(dot.lane)
        axes.plot(
            *dot.at, "o", markersize=11 * scale, markerfacecolor=PAPER if dot.new else colour,
            markeredgecolor=colour, markeredgewidth=2.5, zorder=3,
        )  # fmt: skip
    halo = [withStroke(linewidth=3, foreground=PAPER)]  # so that lines pass behind the words
    for words in drawn.words:
        branch = words.kind in ("branch", "head")
        colour = {"subject": INK, "author": FAINT}.get(words.kind, colour_of(words.lane))
        axes.text(
            *words.at, words.text, ha="center", fontsize=9.5 * scale, color=colour, path_effects=halo,
            weight="bold" if branch else "normal", zorder=4,
        )  # fmt: skip
