"""A document as an HTML page that stands alone; every text in it stays text."""

from __future__ import annotations

import functools
from collections.abc import Iterable, Sequence
from html import escape

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
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import template
from muddled_orchard.show.terminal.characters import SIGNS, STYLES, printable
from muddled_orchard.show.words import with_words

_HEAD, _FOOT = "@title@", "@body@"
_LINES = {"+": "ins", "-": "del", "@": "cut", "left out": "cut"}


def document_page(document: Document) -> str:
    """The page."""
    before, after = _around()
    title = escape(printable(document.title))
    return f"{before.replace(_HEAD, title)}{with_words(blocks_html(document.blocks))}{after}"


def blocks_html(blocks: Iterable[Block]) -> str:
    """Parts of a document as HTML, for another page."""
    return "\n".join(map(_block, blocks))


@functools.cache
def _around() -> tuple[str, str]:
    """What stands before and behind the blocks: it is the same for everybody."""
    page = template("show/document/page.html").render(title=_HEAD, body=_FOOT)
    before, _, after = page.partition(_FOOT)
    return before, after


def _block(block: Block) -> str:  # noqa: C901 - a case for each kind of block
    match block:
        case Heading(level, text, about, of):
            more = f": {_text(of)}" if of else ""
            faint = f' <span class="faint" dir="auto">({_text(about)})</span>' if about else ""
            return f'<h{level}><span dir="auto">{_text(text)}{more}</span>{faint}</h{level}>'
        case Paragraph(text, tone):
            return f'<p{_class(tone)} dir="auto">{_sign(tone)}{_text(text)}</p>'
        case Items(texts, tone):
            return _list([_text(text) for text in texts], tone)
        case Scores(rows):
            return "".join(
                _list([f"{_text(row.name)} ({_text(row.points)}): {_text(row.text)}"], row.tone)
                for row in rows
            )
        case Commands(lines):
            return _code("\n".join(map(_text, lines))) if lines else ""
        case Texts(texts, results):
            sides = "".join(map(_side, (*texts, *results)))
            return f'<div class="sides">{sides}</div>'
        case Drawing(name, graph):
            return _figure(name, graph)
        case Links(links):
            rows_of = "".join(
                f'<li><b dir="auto">{_text(link.title)}</b> ({_text(link.why)}): '
                f"<code>muddled plant {_text(link.id)} practice</code></li>"
                for link in links
            )
            return f"<ul>{rows_of}</ul>"
        case Session(command, answer, place):
            where = f'<span class="place">{_text(place)} </span>' if place else ""
            typed = "\n".join(map(_text, command.split("\n")))
            return _code("\n".join([f"{where}<b>$ {typed}</b>", *map(_line, answer)]), ' dir="ltr"')
        case Contents(path, shown):
            return _code("\n".join([f"<b>$ cat {_text(path)}</b>", *map(_line, shown)]), ' dir="ltr"')
        case Change(text, changed, new):
            title = f'<p class="file" dir="auto">{_text(text)}</p>'
            lines_of = "\n".join(_text(line.text) if new else _line(_with_sign(line)) for line in changed)
            return title + (_code(lines_of, ' dir="ltr"') if changed else "")
        case Window(title, blocks):
            return (
                f'<div class="window"><p class="who" dir="auto">{_text(title)}</p>{blocks_html(blocks)}</div>'
            )


def _list(rows: Sequence[str], tone: str) -> str:
    items = "".join(f'<li dir="auto">{_sign(tone)}{row}</li>' for row in rows)
    return f"<ul{_class(tone)}>{items}</ul>" if rows else ""


def _code(inside: str, direction: str = "") -> str:
    return f"<pre{direction}><code>{inside}</code></pre>"


def _line(line: Line) -> str:
    behind = f'<span class="remark"> ◂ {_text(line.remark)}</span>' if line.remark else ""
    shown = f"{_text(line.text.expandtabs(8))}{behind}"
    kind = _LINES.get(line.kind, line.kind)
    return f'<span class="{kind}">{shown or " "}</span>' if kind else shown


def _with_sign(line: Line) -> Line:
    """A changed line with its sign before it."""
    signs = {"+": "+ ", "-": "- ", "@": ""}
    return Line(line.kind if line.kind in signs else "", f"{signs.get(line.kind, '  ')}{line.text}")


def _text(text: str) -> str:
    return escape(printable(text))


def _class(tone: str) -> str:
    return f' class="{STYLES[tone]}"' if tone else ""


def _sign(tone: str) -> str:
    return f'<span class="sign">{SIGNS[tone]}</span> ' if tone in SIGNS else ""


def _side(side: Text) -> str:
    if side.text is None:
        shown = '<p class="faint">no such file</p>'
    elif not side.text:
        shown = '<p class="faint">nothing</p>'
    else:
        lines = "\n".join(map(_text, side.text.splitlines()))
        label = _text(side.name)
        shown = f'<pre tabindex="0" role="group" aria-label="{label}"><code dir="auto">{lines}</code></pre>'
    return f"<figure{_class(side.tone)}><figcaption>{_text(side.name)}</figcaption>{shown}</figure>"


@functools.lru_cache(maxsize=2_048)  # many learners make the same
def _figure(name: str, graph: Graph) -> str:
    label = f"{escape(name)}: {_text(told(graph))}"
    return (
        f'<figure class="graph"><figcaption>{escape(name)}</figcaption>'
        f'<div role="img" aria-label="{label}" tabindex="0">{graph_svg(graph)}</div></figure>'
    )
