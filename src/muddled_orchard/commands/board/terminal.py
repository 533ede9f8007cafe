"""The board in the terminal: who needs help first."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from rich.console import Console, Group, RenderableType
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import ago, counted, listed
from muddled_orchard.core.course.board import STAGES, Board, BoardRow, Stage
from muddled_orchard.show.terminal.characters import printable, sign

_STYLES: dict[Stage, tuple[str, str]] = {
    "unreadable": ("unreadable", "bad"),
    "nothing begun": ("skipped", ""),
    "in a conflict": ("partly", "doubt"),
    "not staged": ("partly", "doubt"),
    "not committed": ("partly", "doubt"),
    "not right": ("missed", "bad"),
    "not pushed": ("partly", "doubt"),
    "done": ("met", "good"),
    "excused": ("skipped", "faint"),
}
_AROUND = 7
"""Lines of the board that are no learner's."""


def board_view(
    on: Console, title: str, shown: Board, now: datetime, most: int | None = None
) -> RenderableType:
    """The board as something to print; with `most` only so many lines."""
    parts: list[RenderableType] = []
    head = Text(f"{printable(title, on)}, {now:%H:%M}: {counted(shown.learners, 'learner')}", style="strong")
    counts = ", ".join(f"{number} {STAGES[stage]}" for stage, number in shown.counts.items())
    parts += [head, Text(counts, style="faint")]
    if shown.common is not None:
        whose = listed([printable(who, on) for who in shown.common.learners])
        many = f"{len(shown.common.learners)} make the same mistake"
        text = f"{many}: {printable(shown.common.what, on)} ({whose})"
        parts.append(Text(text, style="doubt"))
    parts.append(Text())
    rows = shown.rows if most is None else shown.rows[: max(1, most - _AROUND)]
    parts.append(_table(on, rows, now.timestamp()))
    if len(rows) < len(shown.rows):
        more = len(shown.rows) - len(rows)
        parts.append(Text(f"and {more} more, who need help less; --once shows all", style="faint"))
    return Group(*parts)


def _table(on: Console, rows: Sequence[BoardRow], now: float) -> Table:
    several = any(row.of > 1 or row.seen.practice for row in rows)
    pushes = any(row.seen.pushes for row in rows)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("")
    table.add_column("learner", max_width=max(12, on.width // 5))
    if several:
        table.add_column("exercise", no_wrap=True)
    table.add_column("where they stand", ratio=1)
    table.add_column("since", justify="right", no_wrap=True)
    if pushes:
        table.add_column("pushes", justify="right", no_wrap=True)
    table.add_column("points", justify="right", no_wrap=True)
    if several:
        table.add_column("done", justify="right", no_wrap=True)
    for row in rows:
        seen = row.seen
        what, style = _STYLES[seen.stage]
        name = Text(printable(row.name, on))
        if row.hand is not None:
            name.append(f" (hand raised {ago(row.hand, now)})", style="bad")
        where = Text(STAGES[seen.stage], style=style)
        if seen.detail:
            where.append(f": {printable(seen.detail, on)}", style="default")
        cells: list[Text] = [Text(sign(on, what), style=style), name]
        cells += [Text(printable(seen.shown, on))] if several else []
        cells += [where, Text(ago(seen.since, now))]
        cells += [Text(str(seen.pushes or ""))] if pushes else []
        cells += [Text(f"{seen.percent:g} %" if seen.possible and seen.stage != "nothing begun" else "")]
        cells += [Text(f"{row.done}/{row.of}")] if several else []
        table.add_row(*cells)
    return table
