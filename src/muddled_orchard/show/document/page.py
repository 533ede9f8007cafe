"""A document as an HTML page that stands alone; every text in it stays text."""

from __future__ import annotations

import functools
from collections.abc import Iterable
from html import escape

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
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import template
from muddled_orchard.show.terminal.characters import printable

_SIGNS = {"good": "✓", "doubt": "~", "bad": "✗"}
_HEAD, _FOOT = "@title@", "@body@"


def document_page(document: Document) -> str:
    """The page."""
    before, after = _around()
    title = escape(printable(document.title))
    return f"{before.replace(_HEAD, title)}{blocks_html(document.blocks)}{after}"


def blocks_html(blocks: Iterable[Block]) -> str:
    """Parts of a document as HTML, for another page."""
    return "\n".join(map(_block, blocks))


@functools.cache
def _around() -> tuple[str, str]:
    """What stands before and behind the blocks: it is the same for everybody."""
    page = template("show/document/page.html").render(title=_HEAD, body=_FOOT)
    before, _, after = page.partition(_FOOT)
    return before, after


def _block(block: Block) -> str:
    match block:
        case Heading(level, text, about):
            more = f' <span class="faint" dir="auto">({_text(about)})</span>' if about else ""
            return f'<h{level}><span dir="auto">{_text(text)}</span>{more}</h{level}>'
        case Paragraph(text, tone):
            return f'<p{_class(tone)} dir="auto">{_sign(tone)}{_text(text)}</p>'
        case Items(texts, tone):
            rows = "".join(f'<li dir="auto">{_sign(tone)}{_text(text)}</li>' for text in texts)
            return f"<ul{_class(tone)}>{rows}</ul>"
        case Commands(lines):
            typed = "\n".join(map(_text, lines))
            return f'<pre tabindex="0"><code>{typed}</code></pre>'
        case Texts(texts):
            sides = "".join(map(_side, texts))
            return f'<div class="sides">{sides}</div>'
        case Drawing(name, graph):
            return _figure(name, graph)
        case Links(links):
            rows = "".join(
                f'<li><b dir="auto">{_text(link.title)}</b> ({_text(link.why)}): '
                f"<code>muddled plant {_text(link.id)} practice</code></li>"
                for link in links
            )
            return f"<ul>{rows}</ul>"


def _text(text: str) -> str:
    return escape(printable(text))


def _class(tone: str) -> str:
    return f' class="{tone}"' if tone else ""


def _sign(tone: str) -> str:
    return f'<span class="sign">{_SIGNS[tone]}</span> ' if tone else ""


def _side(side: Text) -> str:
    if side.text is None:
        shown = '<p class="faint">no such file</p>'
    elif not side.text:
        shown = '<p class="faint">nothing</p>'
    else:
        lines = "\n".join(map(_text, side.text.splitlines()))
        shown = f'<pre tabindex="0"><code dir="auto">{lines}</code></pre>'
    return f"<figure{_class(side.tone)}><figcaption>{_text(side.name)}</figcaption>{shown}</figure>"


@functools.lru_cache(maxsize=2_048)  # many learners make the same
def _figure(name: str, graph: Graph) -> str:
    label = f"{escape(name)}: {_text(told(graph))}"
    return (
        f'<figure class="graph"><figcaption>{escape(name)}</figcaption>'
        f'<div role="img" aria-label="{label}" tabindex="0">{graph_svg(graph)}</div></figure>'
    )
