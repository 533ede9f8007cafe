"""A document in the terminal."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

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
from muddled_orchard.show.terminal.plain import AS_WIDE_AS_NEEDED, Plain, Styled, at_the_right

_MOST_LINES = 12
_WIDE = 100
_LINES = {
    "+": "good", "-": "bad", "@": "faint", "left out": "faint",
    "marker": "doubt", "ours": "strong", "theirs": "strong", "marked": "strong",
}  # fmt: skip


def show_blocks(on: Plain, blocks: Iterable[Block]) -> None:
    """Show parts of a document, one after another."""
    for block in blocks:
        _show(on, block)


def _show(on: Plain, block: Block) -> None:  # noqa: C901 - a case for each kind of block
    match block:
        case Heading(level, text, about, of):
            _heading(on, level, printable(text, on), printable(about, on), printable(of, on))
        case Paragraph(text, tone, joined):
            if not joined:
                on.line()
            lead = f"{_sign(on, tone)} " if tone in SIGNS else "  " if joined else ""
            on.line(f"{lead}{printable(text, on)}", STYLES[tone])
        case Items(texts, tone):
            for text in texts:
                on.item((f"  {_sign(on, tone)}", STYLES[tone]), (printable(text, on), ""))
        case Scores(rows):
            on.line()
            _scores(on, rows)
        case Commands(lines):
            for line in lines:
                on.unbroken((f"      {printable(line, on)}", "strong"))
        case Texts(texts, results):
            _texts(on, texts, results)
        case Drawing(_, graph):
            on.line()
            show_graph(on, graph)
        case Links(links):
            for link in links:
                on.line(f"  {printable(link.title, on)} ({printable(link.why, on)}):")
                on.line(f"      muddled plant {printable(link.id, on)} practice", "strong")
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
                on.beside(4).line(f"{lead}{printable(one.text, on)}", style)
        case Window(title, blocks):
            beside = on.beside(_aside(on))
            on.line()
            beside.line(f"  {printable(title, on)}", "strong")
            show_blocks(beside, blocks)


def _aside(on: Plain) -> int:
    """How far to the right a window stands."""
    return on.width // 2 if _is_wide(on) else 8


def _is_wide(on: Plain) -> bool:
    """Whether there is room for things side by side, on what has an end at the right."""
    return _WIDE <= on.width < AS_WIDE_AS_NEEDED


def _heading(on: Plain, level: int, text: str, about: str, of: str) -> None:
    if level > 1:
        on.line()
    if level == 3:
        on.line(f"{text}:", "strong")
    elif level == 4:
        on.line(f"{text} ({about})" if about else text, "strong")
    else:
        on.styled((text, "strong"), (f"  {of}" if of else "", ""), (f"  ({about})" if about else "", "faint"))


def _sign(on: Plain, tone: str) -> str:
    return sign(on, tone) if tone in SIGNS else " "


def _scores(on: Plain, rows: Sequence[Score]) -> None:
    points = at_the_right([printable(row.points, on) for row in rows])
    cells: list[list[Styled]] = [
        [
            (f"{_sign(on, row.tone)} {printable(row.name, on)}", STYLES[row.tone]),
            (earned, ""),
            (printable(row.text, on), ""),
        ]
        for row, earned in zip(rows, points, strict=True)
    ]
    on.columns(cells, whole=(0, 1))


def _texts(on: Plain, texts: Sequence[Text], results: Sequence[Text]) -> None:
    """Side by side where the terminal is wide enough, else under one another."""
    inside = on.beside(2)
    if not _is_wide(on):
        rows: list[list[Styled]] = [
            [(printable(text.name, on), STYLES[text.tone]), (_text(on, text), _tone(text))]
            for text in (*texts, *results)
        ]
        inside.columns(rows, whole=(0,))
        return
    for number, shown in enumerate(part for part in (texts, results) if part):
        if number:
            on.line()
        width = (inside.width - 2 * len(shown)) // len(shown)
        inside.columns(
            [
                [(printable(text.name, on), STYLES[text.tone]) for text in shown],
                [(_text(on, text), _tone(text)) for text in shown],
            ],
            evenly=width,
        )


def _text(on: Plain, text: Text) -> str:
    bar = "│" if speaks_unicode(on) else "|"
    lines = text.text.splitlines() if text.text is not None else ()
    if not lines:
        return f"{bar} (no such file)" if text.text is None else f"{bar} (nothing)"
    shown = [f"{bar} {printable(line, on)}" for line in lines[:_MOST_LINES]]
    if len(lines) > _MOST_LINES:
        shown.append(f"{bar} ... {counted(len(lines) - _MOST_LINES, 'more line')}")
    return "\n".join(shown)


def _tone(text: Text) -> str:
    return STYLES[text.tone] if text.text else "faint"


def _titled(on: Plain, prompt: str, text: str) -> None:
    on.line()
    first, *more = text.split("\n")
    on.styled((f"  {prompt}", "faint"), (first, "strong"))
    for line in more:
        on.line(line, "strong")


def _lines(on: Plain, lines: Iterable[Line], letters: int) -> None:
    arrow = "◂" if speaks_unicode(on) else "<"
    for line in lines:
        text = printable(line.text.expandtabs(8), on)
        remark = f"   {arrow} {printable(line.remark, on)}" if line.remark else ""
        on.beside(letters).styled((text, _LINES.get(line.kind, "default")), (remark, "doubt"))
