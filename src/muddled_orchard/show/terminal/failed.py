"""The repositories of which something could not be done, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.course.sources import Source
from muddled_orchard.show.terminal.characters import printable, shortened, sign
from muddled_orchard.show.terminal.plain import Cell, Plain


def show_failed(on: Plain, what: str, failed: Sequence[tuple[Source, str]]) -> None:
    """The repositories of which something could not be done, each with the reason."""
    if not failed:
        return
    on.line(f"{what} ({len(failed)}):", "strong")
    rows: list[Sequence[Cell]] = []
    for source, reason in failed:
        name = f"{source.learner}{f'  {source.exercise}' if source.exercise else ''}"
        who = f"  {sign(on, 'missed')} {shortened(printable(name, on), on.width // 3)}"
        rows.append(((who, "bad"), printable(reason, on)))
    on.columns(rows, whole=(0,))
