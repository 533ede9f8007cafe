"""A document as Markdown, and as plain text."""

from __future__ import annotations

import functools
import re
import textwrap
from collections.abc import Iterable, Iterator

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.document import (
    Block,
    Change,
    Commands,
    Contents,
    Document,
    Drawing,
    Heading,
    Items,
    Line,
    Links,
    Paragraph,
    Scores,
    Session,
    Text,
    Texts,
    Window,
)
from muddled_orchard.show.figures.signs import graph_lines
from muddled_orchard.show.terminal.characters import SIGNS, printable

_WIDTH = 78
_SPECIAL = pattern(r"([\\`*_{}\[\]<>#|~])")
_FENCE = pattern(r"`{3,}")


def markdown(document: Document) -> str:
    """The document as Markdown: texts of people are escaped, and stay what they are."""
    return markdown_blocks(document.blocks) + "\n"


def markdown_blocks(blocks: Iterable[Block]) -> str:
    """Parts of a document as Markdown."""
    return "\n\n".join(filter(None, map(_markdown, blocks)))


def _markdown(block: Block) -> str:  # noqa: C901 - a case for each kind of block
    match block:
        case Heading(level, text, about, of):
            behind = f"{f': {plain(of)}' if of else ''}{f' ({plain(about)})' if about else ''}"
            return f"{'#' * level} {plain(text)}{behind}"
        case Paragraph(text, tone):
            return f"**{SIGNS[tone]} {plain(text)}**" if tone in SIGNS else plain(text)
        case Items(texts, tone):
            return "\n".join(f"- {_sign(tone)}{plain(text)}" for text in texts)
        case Scores(rows):
            return "\n".join(
                f"- {_sign(row.tone)}{plain(row.name)} ({plain(row.points)}): {plain(row.text)}"
                for row in rows
            )
        case Commands(lines):
            return fenced("\n".join(map(printable, lines))) if lines else ""
        case Texts(texts, results):
            both = (*texts, *results)
            return "\n\n".join(f"{plain(text.name)}:\n\n{_markdown_of(text)}" for text in both)
        case Drawing(name, graph):
            log = fenced("\n".join(map(printable, graph_lines(graph))))
            return f"{name}, the newest first:\n\n{log}"
        case Links(links):
            return "\n".join(
                f"- {plain(link.title)} ({plain(link.why)}): `muddled plant {printable(link.id)} practice`"
                for link in links
            )
        case Session(command, answer, place):
            typed = fenced("\n".join(map(_with_tabs, _session_lines(command, answer))), "console")
            return f"{plain(place[:1].upper() + place[1:])}:\n\n{typed}" if place else typed
        case Contents(path, lines):
            return f"{plain(path)} reads:\n\n{fenced(chr(10).join(map(_with_remark, lines)))}"
        case Change(text, lines, new):
            if not lines:
                return f"{plain(text)}."
            shown = (line.text if new else f"{line.kind}{line.text}" for line in lines)
            return f"{plain(text)}:\n\n{fenced(chr(10).join(map(printable, shown)), '' if new else 'diff')}"
        case Window(title, blocks):
            inside = f"**{plain(title)}**\n\n{markdown_blocks(blocks)}"
            return "\n".join(f"> {line}".rstrip() for line in inside.split("\n"))


def _sign(tone: str) -> str:
    return f"{SIGNS[tone]} " if tone in SIGNS else ""


def _session_lines(command: str, answer: Iterable[Line]) -> Iterator[str]:
    for text in (f"$ {command}", *(line.text for line in answer)):
        yield from text.split("\n")


def _with_tabs(line: str) -> str:
    """Tabs stay: Git's answers are set with them."""
    return re.sub(r"[^\t]+", lambda match: printable(match[0]), line)


def _with_remark(line: Line) -> str:
    return f"{printable(line.text)}{f'    <-- {printable(line.remark)}' if line.remark else ''}"


@functools.lru_cache(maxsize=8_192)
def plain(text: str) -> str:
    """A text of people as Markdown that shows it as it is."""
    shown = _SPECIAL.sub(r"\\\1", printable(text))
    # What begins a list or a numbered one, where it begins a line.
    return re.sub(r"^(\s*)([-+]|\d+[.)])(?=\s)", lambda match: f"{match[1]}\\{match[2]}", shown)


def _markdown_of(text: Text) -> str:
    if text.text is None:
        return "(no such file)"
    return fenced("\n".join(map(printable, text.text.splitlines()))) if text.text else "(nothing)"


def fenced(text: str, language: str = "") -> str:
    """Lines as a code block, which nothing in them can end."""
    longest = max((len(found) for found in _FENCE.findall(text)), default=2)
    fence = "`" * max(3, longest + 1)
    return f"{fence}{language}\n{text}\n{fence}"


def plain_text(document: Document) -> str:
    """The document as text, in lines of at most 78 letters where it isn't a file's."""
    return "\n".join(line for block in document.blocks for line in _lines(block)).lstrip("\n") + "\n"


def remote_lines(blocks: Iterable[Block]) -> list[str]:
    """Paragraphs and lists as the few short lines that Git shows after a push. Nothing in them can speak to a
    terminal."""
    lines: list[str] = []
    for block in blocks:
        match block:
            case Paragraph(text):
                lines += _short(text, "")
            case Items(texts):
                for text in texts:
                    lines += _short(text, " - ")
    return lines if len(lines) <= _MOST_REMOTE else [*lines[: _MOST_REMOTE - 1], "..."]


_ASIDE = " " * 20
"""How far to the right a window stands."""

_REMOTE_WIDTH = 70
"""Git writes `remote: ` before each line, and up to 80 columns are sure."""

_MOST_REMOTE, _LONGEST_REMOTE = 16, 400


def _short(text: str, mark: str) -> list[str]:
    plain = "".join(letter if letter.isprintable() else " " for letter in text)
    shown = textwrap.shorten(plain, _LONGEST_REMOTE, placeholder=" ...")
    return textwrap.wrap(
        shown, _REMOTE_WIDTH, initial_indent=mark, subsequent_indent=" " * len(mark), break_on_hyphens=False
    )


def _lines(block: Block) -> Iterator[str]:  # noqa: C901 - a case for each kind of block
    match block:
        case Heading(level, text, about, of):
            title = printable(f"{text}{f': {of}' if of else ''}{f' ({about})' if about else ''}")
            yield ""
            yield title
            if level < 3:
                yield ("=" if level == 1 else "-") * min(_WIDTH, len(title))
        case Paragraph(text, tone, joined):
            yield from () if joined else ("",)
            yield from _wrapped(f"{_sign(tone)}{printable(text)}", "")
        case Items(texts, tone):
            for text in texts:
                yield from _wrapped(f"{_sign(tone) or '- '}{printable(text)}", "  ")
        case Scores(rows):
            for row in rows:
                told = f"{_sign(row.tone)}{row.name} ({row.points}): {row.text}"
                yield from _wrapped(printable(told), "  ")
        case Commands(lines):
            yield from (f"    {printable(line)}" for line in lines)
        case Texts(texts, results):
            for side in (*texts, *results):
                yield f"  {printable(side.name)}:"
                yield from (f"    | {line}" for line in _text_lines(side))
        case Drawing(name, graph):
            yield f"  {name}, the newest first:"
            yield from (f"    {printable(line)}" for line in graph_lines(graph))
        case Links(links):
            for link in links:
                yield from _wrapped(f"- {printable(link.title)} ({printable(link.why)}):", "  ")
                yield f"    muddled plant {printable(link.id)} practice"
        case Session(command, answer, place):
            yield f"  {printable(place)}:" if place else ""
            yield from (f"    {_with_tabs(line)}" for line in _session_lines(command, answer))
        case Contents(path, shown):
            yield f"  {printable(path)} reads:"
            yield from (f"    | {_with_remark(line)}" for line in shown)
        case Change(text, changed):
            yield f"  {printable(text)}:" if changed else f"  {printable(text)}."
            yield from (f"    {line.kind}{printable(line.text)}" for line in changed)
        case Window(title, blocks):
            yield ""
            yield f"{_ASIDE}{printable(title)}"
            yield from (f"{_ASIDE}{line}".rstrip() for inner in blocks for line in _lines(inner))


@functools.lru_cache(maxsize=8_192)  # a class is told much alike
def _wrapped(text: str, behind: str) -> tuple[str, ...]:
    if len(text) <= _WIDTH:
        return (text,)
    return tuple(
        textwrap.wrap(text, _WIDTH, subsequent_indent=behind, break_long_words=False, break_on_hyphens=False)
    )


def _text_lines(text: Text) -> list[str]:
    if text.text is None:
        return ["(no such file)"]
    return list(map(printable, text.text.splitlines())) or ["(nothing)"]
