"""The repositories of which something could not be done, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.course.sources import Source
from muddled_orchard.show.terminal.characters import printable, shortened, sign


def show_failed(on: Console, what: str, failed: Sequence[tuple[Source, str]]) -> None:
    """The repositories of which something could not be done, each with the reason."""
    if not failed:
        return
    on.print(Text(f"{what} ({len(failed)}):", style="strong"))
    table = Table.grid(padding=(0, 2, 0, 0))
    for source, reason in failed:
        name = f"{source.learner}{f'  {source.exercise}' if source.exercise else ''}"
        table.add_row(
            Text(f"  {sign(on, 'missed')} {shortened(printable(name, on), on.width // 3)}", style="bad"),
            Text(printable(reason, on)),
        )
    on.print(table)
