"""Where a learner stands, in the terminal."""

from __future__ import annotations

from rich.console import Console
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.peek import Peek
from muddled_orchard.reports.terminal import printable, shortened, sign

_MOST = 24


def show_peek(on: Console, peek: Peek) -> None:
    """What is going on, who is who, what is left, what to type next."""
    on.print(Text(printable(peek.doing, on), style="strong"))
    if peek.ours:
        on.print()
        table = Table.grid(padding=(0, 2, 0, 0))
        table.add_row(Text("  ours"), Text(printable(f"is {peek.ours}", on)))
        table.add_row(Text("  theirs"), Text(printable(f"is {peek.theirs}", on)))
        on.print(table)
    if peek.left:
        on.print()
        on.print(Text("Left to do:" if not peek.done else "Worth knowing:", style="strong"))
        table = Table.grid(padding=(0, 2, 0, 0))
        for item in peek.left[:_MOST]:
            style = "bad" if item.work else "faint"
            mark = sign(on, "missed" if item.work else "skipped")
            where = shortened(printable(item.where, on), on.width // 2)
            table.add_row(Text(f"  {mark} {where}", style=style), Text(printable(item.what, on)))
        on.print(table)
        if len(peek.left) > _MOST:
            on.print(Text(f"    and {len(peek.left) - _MOST} more"))
    on.print()
    if peek.done:
        on.print(Text(f"{sign(on, 'met')} Nothing is left to do here.", style="good"))
        return
    on.print(Text("Next:", style="strong"))
    table = Table.grid(padding=(0, 2, 0, 0))
    for command, why in peek.commands:
        table.add_row(Text(printable(command, on), style="strong"), Text(printable(why, on)))
    on.print(Padding(table, (0, 0, 0, 2)))
    if peek.back:
        on.print(Text(f"The way back, to how it was before: {peek.back}"))
