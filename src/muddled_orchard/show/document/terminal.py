"""A document in the terminal."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import cast

from rich.console import Console, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text as Shown

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.document import (
    Block,
    Change,
    Commands,
    Contents,
    Drawing,
    Heading,
    Items,
    Line,
    Links,
    Paragraph,
    Score,
    Scores,
    Session,
    Text,
    Texts,
    Window,
)
from muddled_orchard.show.terminal.characters import SIGNS, STYLES, printable, sign, speaks_unicode
from muddled_orchard.show.terminal.drawn_graph import show_graph
from muddled_orchard.show.terminal.plain import AS_WIDE_AS_NEEDED

_MOST_LINES = 12
_WIDE = 100
_LINES = {
    "+": "good", "-": "bad", "@": "faint", "left out": "faint",
    "marker": "doubt", "ours": "strong", "theirs": "strong", "marked": "strong",
}  # fmt: skip


def show_blocks(on: Console, blocks: Iterable[Block]) -> None:
    """Show parts of a document, one after another."""
    for block in blocks:
        _show(on, block)


def _show(on: Console, block: Block) -> None:  # noqa: C901 - a case for each kind of block
    match block:
        case Heading(level, text, about, of):
            _heading(on, level, printable(text, on), printable(about, on), printable(of, on))
        case Paragraph(text, tone, joined):
            if not joined:
                on.print()
            lead = f"{_sign(on, tone)} " if tone in SIGNS else "  " if joined else ""
            on.print(Shown(f"{lead}{printable(text, on)}", style=STYLES[tone]))
        case Items(texts, tone):
            for text in texts:
                grid = Table.grid(padding=(0, 1, 0, 0))
                mark = Shown(f"  {_sign(on, tone)}", style=STYLES[tone])
                grid.add_row(mark, Shown(printable(text, on)))
                on.print(grid)
        case Scores(rows):
            on.print()
            on.print(_table(on, rows))
        case Commands(lines):
            for line in lines:
                on.print(Shown(f"      {printable(line, on)}", style="strong"), soft_wrap=True)
        case Texts(texts, results):
            _texts(on, texts, results)
        case Drawing(_, graph):
            on.print()
            show_graph(on, graph)
        case Links(links):
            for link in links:
                on.print(Shown(f"  {printable(link.title, on)} ({printable(link.why, on)}):"))
                on.print(Shown(f"      muddled plant {printable(link.id, on)} practice", style="strong"))
        case Session(command, answer, place):
            typed = "\n      ".join(printable(line, on) for line in command.split("\n"))
            _titled(on, f"{printable(place, on)} $ ".lstrip(), typed)
            _lines(on, answer, 2)
        case Contents(path, lines):
            _titled(on, "$ ", f"cat {printable(path, on)}")
            _lines(on, lines, 4)
        case Change(text, changed, new):
            _titled(on, "", printable(text, on))
            for one in changed:
                lead = "" if new else f"{one.kind} "
                style = "default" if new else _LINES.get(one.kind, "default")
                on.print(_inward(Shown(f"{lead}{printable(one.text, on)}", style=style), 4))
        case Window(title, blocks):
            beside = cast(Console, _Beside(on, _aside(on)))
            on.print()
            beside.print(Shown(f"  {printable(title, on)}", style="strong"))
            show_blocks(beside, blocks)


class _Beside:
    """A terminal of which only the right part is written to."""

    def __init__(self, on: Console, left: int) -> None:
        self._on, self._left, self.width = on, left, on.width - left

    def __getattr__(self, name: str) -> object:
        return getattr(self._on, name)

    def print(self, *shown: RenderableType, **_: object) -> None:
        """Print something at the right."""
        if not shown:
            self._on.print()
        for one in shown:
            self._on.print(Padding(one, (0, 0, 0, self._left), expand=False), soft_wrap=False)


def _aside(on: Console) -> int:
    """How far to the right a window stands."""
    return on.width // 2 if _WIDE <= on.width < AS_WIDE_AS_NEEDED else 8


def _heading(on: Console, level: int, text: str, about: str, of: str) -> None:
    shown = Shown(text, style="strong")
    if level > 1:
        on.print()
    if level == 3:
        shown.append(":")
    elif level == 4:
        shown.append(f" ({about})" if about else "")
    else:
        shown.append(f"  {of}" if of else "", "default").append(f"  ({about})" if about else "", "faint")
    on.print(shown)


def _sign(on: Console, tone: str) -> str:
    return sign(on, tone) if tone in SIGNS else " "


def _table(on: Console, rows: Sequence[Score]) -> Table:
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(no_wrap=True, justify="right")
    table.add_column(overflow="fold")
    for row in rows:
        name = Shown(f"{_sign(on, row.tone)} {printable(row.name, on)}", style=STYLES[row.tone])
        table.add_row(name, Shown(printable(row.points, on)), Shown(printable(row.text, on)))
    return table


def _texts(on: Console, texts: Sequence[Text], results: Sequence[Text]) -> None:
    """Side by side where the terminal is wide enough, else under one another."""
    wide = _WIDE <= on.width < AS_WIDE_AS_NEEDED
    shown = [_beside(on, texts), _beside(on, results)] if wide else [_stacked(on, [*texts, *results])]
    for number, table in enumerate(shown):
        if number:
            on.print()
        on.print(Padding(table, (0, 0, 0, 2), expand=wide))


def _stacked(on: Console, texts: Sequence[Text]) -> Table:
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(overflow="fold", max_width=on.width // 2)
    table.add_column(overflow="fold")
    for text in texts:
        table.add_row(Shown(printable(text.name, on), style=STYLES[text.tone]), _text(on, text))
    return table


def _beside(on: Console, texts: Sequence[Text]) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), expand=True, header_style="")
    for text in texts:
        name = Shown(printable(text.name, on), style=STYLES[text.tone])
        table.add_column(name, ratio=1, overflow="fold")
    table.add_row(*(_text(on, text) for text in texts))
    return table


def _text(on: Console, text: Text) -> Shown:
    bar = "│" if speaks_unicode(on) else "|"
    if text.text is None:
        return Shown(f"{bar} (no such file)", style="faint")
    lines = text.text.splitlines()
    if not lines:
        return Shown(f"{bar} (nothing)", style="faint")
    shown = [f"{bar} {printable(line, on)}" for line in lines[:_MOST_LINES]]
    if len(lines) > _MOST_LINES:
        shown.append(f"{bar} ... {counted(len(lines) - _MOST_LINES, 'more line')}")
    return Shown("\n".join(shown), style=STYLES[text.tone])


def _titled(on: Console, prompt: str, text: str) -> None:
    on.print()
    on.print(Shown.assemble((f"  {prompt}", "faint"), (text, "strong")))


def _lines(on: Console, lines: Iterable[Line], letters: int) -> None:
    arrow = "◂" if speaks_unicode(on) else "<"
    for line in lines:
        text = Shown(printable(line.text.expandtabs(8), on), style=_LINES.get(line.kind, "default"))
        if line.remark:
            text.append(f"   {arrow} {printable(line.remark, on)}", "doubt")
        on.print(_inward(text, letters))


def _inward(text: Shown, letters: int) -> Padding | str:
    return Padding(text, (0, 0, 0, letters), expand=False) if text.plain else ""
