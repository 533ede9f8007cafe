"""A document as Markdown, and as plain text."""

from __future__ import annotations

import functools
import re
import textwrap
from collections.abc import Iterator

from muddled_orchard.core.course.document import (
    Block,
    Commands,
    Document,
    Drawing,
    Heading,
    Items,
    Links,
    Paragraph,
    Text,
    Texts,
)
from muddled_orchard.show.figures.signs import graph_lines
from muddled_orchard.show.terminal.characters import printable

_SIGNS = {"good": "✓ ", "doubt": "~ ", "bad": "✗ ", "": ""}
_WIDTH = 78
_SPECIAL = re.compile(r"([\\`*_{}\[\]<>#|~])")
_FENCE = re.compile(r"`{3,}")


def markdown(document: Document) -> str:
    """The document as Markdown: texts of people are escaped, and stay what they are."""
    return "\n\n".join(filter(None, map(_markdown, document.blocks))) + "\n"


def _markdown(block: Block) -> str:
    match block:
        case Heading(level, text, about):
            return f"{'#' * level} {plain(text)}{f' ({plain(about)})' if about else ''}"
        case Paragraph(text, tone):
            return f"**{_SIGNS[tone].strip()} {plain(text)}**" if tone else plain(text)
        case Items(texts, tone):
            return "\n".join(f"- {_SIGNS[tone]}{plain(text)}" for text in texts)
        case Commands(lines):
            return fenced("\n".join(map(printable, lines)))
        case Texts(texts):
            return "\n\n".join(f"{plain(text.name)}:\n\n{_markdown_of(text)}" for text in texts)
        case Drawing(name, graph):
            log = fenced("\n".join(map(printable, graph_lines(graph))))
            return f"{name}, the newest first:\n\n{log}"
        case Links(links):
            return "\n".join(
                f"- {plain(link.title)} ({plain(link.why)}): `muddled plant {link.id} practice`"
                for link in links
            )


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


def _lines(block: Block) -> Iterator[str]:
    match block:
        case Heading(level, text, about):
            title = printable(f"{text} ({about})" if about else text)
            yield ""
            yield title
            if level < 3:
                yield ("=" if level == 1 else "-") * min(_WIDTH, len(title))
        case Paragraph(text, tone):
            yield ""
            yield from _wrapped(f"{_SIGNS[tone]}{printable(text)}", "")
        case Items(texts, tone):
            for text in texts:
                yield from _wrapped(f"{_SIGNS[tone] or '- '}{printable(text)}", "  ")
        case Commands(lines):
            yield from (f"    {printable(line)}" for line in lines)
        case Texts(texts):
            for side in texts:
                yield f"  {printable(side.name)}:"
                yield from (f"    | {line}" for line in _text_lines(side))
        case Drawing(name, graph):
            yield f"  {name}, the newest first:"
            yield from (f"    {printable(line)}" for line in graph_lines(graph))
        case Links(links):
            for link in links:
                yield from _wrapped(f"- {printable(link.title)} ({printable(link.why)}):", "  ")
                yield f"    muddled plant {printable(link.id)} practice"


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
