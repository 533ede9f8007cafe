"""The graph of a scenario as a picture for a slide: handed out above, wanted below."""

from __future__ import annotations

import io
import textwrap
from pathlib import Path

import matplotlib as mpl
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import PathPatch
from matplotlib.path import Path as Curve
from matplotlib.patheffects import withStroke

from muddled_orchard.core.graph import Graph, Node
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.system.output import write_file

FORMATS = (".png", ".svg")

_LANES = ("#47692f", "#a8492f", "#2f6286", "#84661a", "#704572", "#3d7a71", "#6b6b6b")
_INK, _FAINT, _PAPER = "#26262b", "#77736b", "#fbfaf6"


def draw(title: str, before: Graph, after: Graph, file: Path) -> None:
    """Write the picture; its format is that of the file's name. Raises BadInput where it can't be."""
    if file.suffix.lower() not in FORMATS:
        raise BadInput(
            Problem(f'"{file.name}" is no name for a picture', "End it in .png or .svg.", file=str(file))
        )
    if not file.parent.is_dir():
        raise BadInput(Problem("can't be written: there is no such folder", file=str(file)))
    mpl.rcParams["font.family"] = "DejaVu Sans"
    mpl.rcParams["svg.hashsalt"] = "muddled"
    lanes = [max(1, len(graph.lanes)) for graph in (before, after)]
    figure = Figure(figsize=(12.8, 2.2 + 1.5 * sum(lanes)), facecolor=_PAPER)
    axes = figure.subplots(2, 1, gridspec_kw={"height_ratios": [lane + 0.6 for lane in lanes]})
    figure.suptitle(title, x=0.02, ha="left", fontsize=16, color=_INK, weight="bold")
    for place, name, graph in zip(
        axes, ("Handed out", "After a right solution"), (before, after), strict=True
    ):
        _panel(place, name, graph)
    figure.tight_layout(rect=(0.0, 0.0, 1.0, 0.98))
    form = file.suffix.lower().removeprefix(".")
    drawn = io.BytesIO()
    figure.savefig(drawn, format=form, dpi=100, metadata={"Date": None} if form == "svg" else None)
    write_file(file, drawn.getvalue())


def _panel(axes: Axes, name: str, graph: Graph) -> None:
    axes.set_title(name, loc="left", fontsize=12, color=_FAINT)
    axes.set_axis_off()
    axes.set_facecolor(_PAPER)
    count = max(len(graph.nodes), 4)
    axes.set_xlim(-0.6, count - 0.4)
    axes.set_ylim(len(graph.lanes) - 0.35, -0.6)
    at = {node.id: node for node in graph.nodes}
    for node in graph.nodes:
        for number, parent in enumerate(node.parents):
            _edge(axes, at[parent], node, dashed=number > 0)
    size = 9 if count <= 9 else 8 if count <= 12 else 7
    for node in graph.nodes:
        _commit(axes, node, size, width=max(9, 130 // count))


def _edge(axes: Axes, old: Node, new: Node, *, dashed: bool) -> None:
    middle = (old.place + new.place) / 2 if dashed else old.place + 0.5
    points = [(old.place, old.lane), (middle, old.lane), (middle, new.lane), (new.place, new.lane)]
    curve = Curve(points, [Curve.MOVETO, Curve.CURVE4, Curve.CURVE4, Curve.CURVE4])
    lane = old.lane if dashed else new.lane
    axes.add_patch(
        PathPatch(curve, fill=False, lw=2, color=_colour(lane), linestyle="--" if dashed else "-", zorder=1)
    )


def _commit(axes: Axes, node: Node, size: float, width: int) -> None:
    colour = _colour(node.lane)
    axes.plot(
        node.place, node.lane, "o", markersize=15, markerfacecolor=_PAPER if node.new else colour,
        markeredgecolor=colour, markeredgewidth=2.5, zorder=2,
    )  # fmt: skip
    halo = [withStroke(linewidth=3, foreground=_PAPER)]  # so that lines pass behind the words
    subject = textwrap.fill(textwrap.shorten(node.subject, width * 3, placeholder=" ..."), width)
    axes.annotate(
        subject, (node.place, node.lane), (0, 13), textcoords="offset points", ha="center", va="bottom",
        fontsize=size, color=_INK, path_effects=halo,
    )  # fmt: skip
    axes.annotate(
        node.author, (node.place, node.lane), (0, -13), textcoords="offset points", ha="center", va="top",
        fontsize=size - 1, color=_FAINT, path_effects=halo,
    )  # fmt: skip
    for number, name in enumerate(node.branches):
        head = node.head and number == 0
        axes.annotate(
            f"HEAD, {name}" if head else name,
            (node.place, node.lane),
            (0, -36 - 20 * number),
            textcoords="offset points",
            ha="center",
            va="center",
            fontsize=size + 0.5,
            color="white" if head else colour,
            weight="bold",
            bbox={"boxstyle": "round,pad=0.3", "facecolor": colour if head else _PAPER, "edgecolor": colour},
            zorder=3,
        )


def _colour(lane: int) -> str:
    return _LANES[lane % len(_LANES)]
