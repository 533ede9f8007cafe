"""Whose marks change where work is graded again, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.course.changes import MarkChange
from muddled_orchard.show.terminal.characters import printable, shortened
from muddled_orchard.show.terminal.plain import Cell, Plain

_MOST = 60


def show_changes(on: Plain, changes: Sequence[MarkChange]) -> None:
    """A line for each, and why."""
    if not changes:
        return
    on.line()
    on.line("Marks that are not what they were:", "strong")
    rows: list[Sequence[Cell]] = [
        [
            shortened(printable(change.learner, on), max(12, on.width // 5)),
            change.exercise,
            (f"{change.before:.0f} -> {change.after:.0f}", _style(change)),
            printable(change.said, on),
        ]
        for change in changes[:_MOST]
    ]
    on.table(("learner", "exercise", "%", "by what"), rows, whole=(0, 1, 2), right=(2,))
    if len(changes) > _MOST:
        on.line(f"... and {len(changes) - _MOST} more; --json has all of them.", "faint")
    for why in dict.fromkeys(change.why for change in changes if change.why):
        on.line(f"Why: {printable(why, on)}.", "faint")


def _style(change: MarkChange) -> str:
    return "good" if change.after > change.before else "bad" if change.after < change.before else "doubt"
