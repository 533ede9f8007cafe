"""A picture of graphs as PNG, by matplotlib: an extra, since it is larger than all else that is installed."""

from __future__ import annotations

import io

import matplotlib as mpl
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import FancyBboxPatch, PathPatch
from matplotlib.path import Path as Curve

from muddled_orchard.show.figures.drawing import LABEL_HEIGHT, Drawing, Label, colour_of
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

_POINTS = 0.72  # of a pixel: the figure has 100 pixels an inch


def picture_png(picture: Picture) -> bytes:
    """The picture, the same wherever it is drawn."""
    # A name from a repository is no formula.
    with mpl.rc_context({"font.family": "DejaVu Sans", "text.parse_math": False}):
        whole, scale = picture.height, picture.scale
        figure = Figure(figsize=(WIDTH / 100, whole / 100), facecolor=PAPER)
        figure.text(
            MARGIN / WIDTH, 1 - TITLE_LINE / whole, picture.title, fontsize=16, color=INK, weight="bold"
        )
        for panel in picture.panels:
            drawn, left = panel.drawn, panel.left / WIDTH
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
    points = scale * _POINTS
    for line in drawn.lines:
        codes = [Curve.MOVETO, *[Curve.CURVE4] * 3, Curve.LINETO, *[Curve.CURVE4] * 3]
        way = Curve([*line.leave, *line.enter], codes)
        style = "--" if line.merged else "-"
        axes.add_patch(PathPatch(way, fill=False, lw=2, color=colour_of(line.lane), linestyle=style))
    for dot in drawn.dots:
        colour = colour_of(dot.lane)
        axes.plot(
            *dot.at, "o", markersize=12 * points, markerfacecolor=PAPER if dot.new else colour,
            markeredgecolor=colour, markeredgewidth=2, zorder=3,
        )  # fmt: skip
    for label in drawn.labels:
        _label(axes, label, points)
    for words in drawn.words:
        written = axes.text(*words.at, words.text or " ", fontsize=13 * points, color=INK, zorder=4)
        if words.author:
            place, gap = (1, 9 * points) if words.text else (0, 0)
            axes.annotate(
                words.author, (place, 0), (gap, 0), xycoords=written, textcoords="offset points",
                fontsize=12 * points, color=FAINT, va="bottom", zorder=4,
            )  # fmt: skip


def _label(axes: Axes, label: Label, points: float) -> None:
    colour, (x, y) = colour_of(label.lane), label.at
    checked_out = label.kind == "head"
    axes.add_patch(
        FancyBboxPatch(
            (x + 4, y + 4), label.width - 8, LABEL_HEIGHT - 8, boxstyle="round,pad=3.5", lw=1.2,
            edgecolor=colour, facecolor=colour if checked_out else PAPER,
            linestyle=(0, (3, 2)) if label.kind == "remote" else "-", zorder=2,
        )
    )  # fmt: skip
    axes.text(
        x + 6, y + 13, label.text, fontsize=12 * points, family="DejaVu Sans Mono", zorder=4,
        color=PAPER if checked_out else INK, weight="normal" if label.kind == "remote" else "bold",
    )  # fmt: skip
