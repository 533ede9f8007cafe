"""A class as a picture for a slide: how each conflict was resolved, and the totals; by Matplotlib."""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from muddled_orchard.core.base.phrases import brief, counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.tally import LETTERS, OUTCOMES, Outcome, Tally
from muddled_orchard.show.figures.picture import FAINT, INK, PAPER
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.system.output import PRIVATE, write_file

if TYPE_CHECKING:
    from matplotlib.axes import Axes

FORMATS = {".png": "png", ".svg": "svg"}

COLOURS: Mapping[Outcome, str] = {
    "accepted": "#5d8540",
    "partly": "#c9a53a",
    "ours": "#d9764f",
    "theirs": "#c46a92",
    "both": "#8c78b8",
    "base": "#9a968c",
    "neither": "#b3afa5",
    "blend": "#77736b",
    "gone": "#5f5c56",
    "unresolved": "#a83a2c",
}
_WIDTH, _DPI = 12.8, 100
_MOST = 40  # conflicts that fit
_NARROW = 0.035  # shares below this have no room for a letter


def draw_tally(counted_class: Tally, file: Path) -> None:
    """Write the picture; its format is that of the file's name. Raises BadInput where it can't be."""
    form = FORMATS.get(file.suffix.lower())
    if form is None:
        hint = f"End it in {' or '.join(FORMATS)}."
        raise BadInput(Problem(f'"{file.name}" is no name for a picture', hint, file=str(file)))
    try:
        from matplotlib.figure import Figure
    except ModuleNotFoundError:
        hint = "Install it with: pip install 'muddled-orchard[png]'"
        raise BadInput(Problem("the picture is drawn by matplotlib, which is not installed", hint)) from None
    import matplotlib as mpl

    # A name from a repository is no formula; text stays text.
    with mpl.rc_context({"text.parse_math": False, "svg.fonttype": "none", "svg.hashsalt": "muddled"}):
        rows = min(_MOST, sum(1 for _ in counted_class.conflicts))
        figure = Figure(figsize=(_WIDTH, max(5.0, 2.6 + 0.42 * rows)), dpi=_DPI, facecolor=PAPER)
        bars, totals = figure.subplots(1, 2, width_ratios=(3, 1))
        _draw_conflicts(bars, counted_class)
        _draw_totals(totals, counted_class)
        title = f"{printable(counted_class.title)}: {counted(len(counted_class.totals), 'learner')}"
        figure.suptitle(title, x=0.02, ha="left", color=INK, fontsize=16, fontweight="bold")
        handles, labels = bars.get_legend_handles_labels()
        figure.legend(handles, labels, loc="lower left", ncols=5, frameon=False, labelcolor=INK, fontsize=9)
        figure.subplots_adjust(
            left=0.3, right=0.98, top=0.88, bottom=0.9 / figure.get_figheight(), wspace=0.12
        )
        out = io.BytesIO()
        # Without the date the same class gives the same file.
        figure.savefig(out, format=form, metadata={"Date": None} if form == "svg" else None)
    write_file(file, out.getvalue(), PRIVATE)


def _draw_conflicts(axes: Axes, counted_class: Tally) -> None:
    shown = [(e, c) for e, c in counted_class.conflicts if c.count][:_MOST]
    names = []
    seen: set[str] = set()
    for row, (exercise, conflict) in enumerate(shown):
        names.append(brief(f"{exercise.id}: {printable(conflict.name)}", 46))
        left = 0.0
        for word, learners in conflict.learners.items():
            share = len(learners) / conflict.count
            label = "_" if word in seen else f"{LETTERS[word]}  {OUTCOMES[word]}"
            seen.add(word)
            axes.barh(row, share, left=left, color=COLOURS[word], edgecolor=PAPER, label=label)
            if share > _NARROW:
                text = f"{LETTERS[word]} {len(learners)}" if share > 2 * _NARROW else LETTERS[word]
                axes.text(left + share / 2, row, text, ha="center", va="center", color="#ffffff", fontsize=9)
            left += share
    axes.set_yticks(range(len(names)), names, color=INK, fontsize=9)
    axes.invert_yaxis()
    axes.set_xlim(0, 1)
    axes.set_xticks([0, 0.25, 0.5, 0.75, 1], ["0", "25", "50", "75", "100 %"], color=FAINT)
    _plain(axes, "How each conflict was resolved")


def _draw_totals(axes: Axes, counted_class: Tally) -> None:
    from matplotlib.ticker import MaxNLocator

    axes.hist(list(counted_class.totals.values()), bins=range(0, 101, 10), color="#3f7fa8", edgecolor=PAPER)
    axes.set_xticks([0, 50, 100], ["0", "50", "100 %"], color=FAINT)
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    axes.tick_params(colors=FAINT)
    _plain(axes, "Totals: learners")


def _plain(axes: Axes, title: str) -> None:
    axes.set_title(title, loc="left", color=INK, fontsize=11)
    axes.set_facecolor(PAPER)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(FAINT)
    axes.tick_params(length=0)
