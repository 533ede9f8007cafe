"""The kinds of sketches, and what to do with one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.reports.terminal import printable


def show_kinds(on: Console, kinds: Mapping[str, str], bundled: Sequence[str]) -> None:
    """The kinds with what they are about."""
    table = Table.grid(padding=(0, 2, 0, 0))
    for kind, about in kinds.items():
        table.add_row(Text(kind, style="strong"), Text(about))
    on.print(table)
    on.print()
    on.print(
        Text(f"Or the id of one of the {len(bundled)} bundled scenarios (muddled catalogue), to copy it.")
    )
    on.print(Text("Then: muddled sketch KIND my-exercise.toml"))


def show_written(on: Console, file: str) -> None:
    """Where it is and what comes next."""
    name = printable(file, on)
    on.print(Text.assemble(("Wrote ", "good"), name))
    on.print(Text(f"Edit it, then: muddled survey {name}"))
