"""Whose marks change where work is graded again, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.course.changes import MarkChange
from muddled_orchard.show.terminal.characters import printable, shortened

_MOST = 60


def show_changes(on: Console, found: Sequence[MarkChange]) -> None:
    """A line for each, and why."""
    if not found:
        return
    on.print()
    on.print(Text("Marks that are not what they were:", style="strong"))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("learner", no_wrap=True)
    table.add_column("exercise", no_wrap=True)
    table.add_column("%", no_wrap=True, justify="right")
    table.add_column("by what", overflow="fold")
    for one in found[:_MOST]:
        style = "good" if one.after > one.before else "bad" if one.after < one.before else "doubt"
        table.add_row(
            shortened(printable(one.learner, on), max(12, on.width // 5)),
            one.exercise,
            Text(f"{one.before:.0f} -> {one.after:.0f}", style=style),
            printable(one.said, on),
        )
    on.print(table)
    if len(found) > _MOST:
        more = f"... and {len(found) - _MOST} more; --json has all of them."
        on.print(Text(more, style="faint"))
    for why in dict.fromkeys(one.why for one in found if one.why):
        on.print(Text(f"Why: {printable(why, on)}.", style="faint"))
