"""The bundled scenarios in the terminal: a line each."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.key.exercise_summary import ExerciseSummary

LEVEL_STYLES = {"none": "faint", "easy": "good", "medium": "doubt", "hard": "bad"}


def show_catalogue(on: Console, summaries: Sequence[ExerciseSummary], total: int) -> None:
    """The bundled scenarios with their titles; `total` is how many there are in all."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    for name in ("id", "title", "operation", "conflicts", "difficulty"):
        table.add_column(name, no_wrap=name in ("id", "difficulty"), overflow="fold")
    for summary in summaries:
        level = summary.difficulty.level
        table.add_row(
            Text(summary.id, style="strong"),
            Text(summary.title),
            Text(", ".join(summary.operations)),
            Text(conflicts_in_words(summary)),
            Text(f"{level} ({summary.difficulty.points})", style=LEVEL_STYLES[level]),
        )
    on.print(table)
    on.print()
    shown = f"{len(summaries)} of {total} scenarios." if len(summaries) < total else f"{total} scenarios."
    on.print(Text(f"{shown} To look into one: muddled survey ID"))


def conflicts_in_words(summary: ExerciseSummary) -> str:
    """`contents: 3 hunks, modify/delete`."""
    words = [
        f"contents: {counted(summary.hunks, 'hunk')}" if kind == "contents" and summary.hunks else kind
        for kind in summary.kinds
    ]
    return ", ".join(words) or "none"
