"""Whose marks change where work is graded again, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.course.changes import MarkChange
from muddled_orchard.show.terminal.characters import printable, shortened

_MOST = 60


def show_changes(on: Console, changes: Sequence[MarkChange]) -> None:
    """A line for each, and why."""
    if not changes:
        return
    on.print()
    on.print(Text("Marks that are not what they were:", style="strong"))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("learner", no_wrap=True)
    table.add_column("exercise", no_wrap=True)
    table.add_column("%", no_wrap=True, justify="right")
    table.add_column("by what", overflow="fold")
    for change in changes[:_MOST]:
        style = "good" if change.after > change.before else "bad" if change.after < change.before else "doubt"
        table.add_row(
            shortened(printable(change.learner, on), max(12, on.width // 5)),
            change.exercise,
            Text(f"{change.before:.0f} -> {change.after:.0f}", style=style),
            printable(change.said, on),
        )
    on.print(table)
    if len(changes) > _MOST:
        more = f"... and {len(changes) - _MOST} more; --json has all of them."
        on.print(Text(more, style="faint"))
    for why in dict.fromkeys(change.why for change in changes if change.why):
        on.print(Text(f"Why: {printable(why, on)}.", style="faint"))
