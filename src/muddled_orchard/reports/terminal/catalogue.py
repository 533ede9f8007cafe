"""The bundled scenarios in the terminal: a line each."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.reports.terminal.plain import Piece, Plain

LEVEL_STYLES = {"none": "faint", "easy": "good", "medium": "doubt", "hard": "bad"}


def show_catalogue(on: Plain, summaries: Sequence[ExerciseSummary], total: int) -> None:
    """The bundled scenarios with their titles; `total` is how many there are in all."""
    head = ("id", "title", "operation", "conflicts", "difficulty")
    on.columns([[(name, "faint") for name in head], *map(_row, summaries)], whole=(0, 4))
    on.line()
    shown = f"{len(summaries)} of {total} scenarios." if len(summaries) < total else f"{total} scenarios."
    on.line(f"{shown} To look into one: muddled survey ID")


def _row(summary: ExerciseSummary) -> list[Piece]:
    level = summary.difficulty.level
    return [
        (summary.id, "strong"),
        (summary.title, ""),
        (", ".join(summary.operations), ""),
        (conflicts_in_words(summary), ""),
        (f"{level} ({summary.difficulty.points})", LEVEL_STYLES[level]),
    ]


def conflicts_in_words(summary: ExerciseSummary) -> str:
    """`contents: 3 hunks, modify/delete`."""
    words = [
        f"contents: {counted(summary.hunks, 'hunk')}" if kind == "contents" and summary.hunks else kind
        for kind in summary.kinds
    ]
    return ", ".join(words) or "none"
