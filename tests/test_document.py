"""Every kind of block in every form in which a document is written: it is there, and it stays text."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from html.parser import HTMLParser
from typing import get_args

import pytest
from markdown_it import MarkdownIt

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.told import whose
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
    Link,
    Links,
    Paragraph,
    Score,
    Scores,
    Session,
    Text,
    Texts,
    Window,
)
from muddled_orchard.core.grading.assessment import unreadable
from muddled_orchard.core.key.graph import Graph, Node
from muddled_orchard.show.document.page import document_page
from muddled_orchard.show.document.terminal import show_blocks
from muddled_orchard.show.document.text import markdown, plain_text, remote_lines
from muddled_orchard.show.json.writing import json_text
from muddled_orchard.show.terminal.characters import SIGNS, STYLES
from muddled_orchard.show.terminal.plain import Plain

NODE = Node(id="1", place=0, lane=0, subject="nine", author="ten", branches=("main",))

# A block of each kind, and what of it is to be read in each form.
BLOCKS: dict[Block, tuple[str, ...]] = {
    Heading(2, "one", "two", "three"): ("one", "two", "three"),
    Paragraph("one", "partly"): ("~ one",),
    Items(("one", "two"), "missed"): ("✗ one", "✗ two"),
    Scores((Score("one", "1 of 2", "three", "met"),)): ("✓ one", "1 of 2", "three"),
    Commands(("git one", "git two")): ("git one", "git two"),
    Texts((Text("one", "two\n"), Text("three", None)), (Text("four", ""),)): (
        "one", "two", "three", "no such file", "four", "nothing",
    ),
    Drawing("one", Graph((NODE,), ("main",))): ("nine",),
    Links((Link("one", "two", "three"),)): ("muddled plant one practice", "two", "three"),
    Session("git one", (Line("", "two"), Line("+", "+three")), "in four"): ("$ git one", "two", "+three", "n four"),
    Contents("one", (Line("marker", "<<<<<<<", "two"), Line("", "three"))): ("one", "<<<<<<<", "two", "three"),
    Change("Edit one", (Line("-", "two"), Line("+", "three"))): ("Edit one", "two", "three"),
    Window("one", (Session("git two", (Line("", "three"),)), Change("Edit four", (Line("+", "five"),)))): (
        "one", "$ git two", "three", "Edit four", "five",
    ),
}  # fmt: skip


class Words(HTMLParser):
    """The text of a page."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.text = ""
        self.feed(page)

    def handle_data(self, data: str) -> None:
        self.text += data


def in_terminal(document: Document) -> str:
    out = io.StringIO()
    show_blocks(Plain(out, width=90), document.blocks)
    return out.getvalue()


FORMS: dict[str, Callable[[Document], str]] = {
    "text": plain_text,
    "markdown": lambda document: Words(MarkdownIt("commonmark").render(markdown(document))).text,
    "page": lambda document: Words(document_page(document)).text,
    "terminal": in_terminal,
}


def test_there_is_a_block_of_each_kind() -> None:
    assert {type(block) for block in BLOCKS} == set(get_args(Block))


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("block", BLOCKS, ids=lambda block: type(block).__name__)
def test_everything_is_said_in_every_form(block: Block, form: str) -> None:
    written = FORMS[form](Document((Heading(1, "Title"), block)))
    left = written[written.index("Title") :]
    for words in BLOCKS[block]:
        assert words in left, words


HOSTILE = "\x1b[2J<script>alert(1)</script>\u202e`*_"


@pytest.mark.parametrize("form", FORMS)
def test_nothing_in_it_speaks_to_who_reads_it(form: str) -> None:
    line = (Line("ours", HOSTILE, HOSTILE),)
    blocks: tuple[Block, ...] = (
        Heading(1, HOSTILE, HOSTILE, HOSTILE), Paragraph(HOSTILE, "look", joined=True), Items((HOSTILE,), "skipped"),
        Scores((Score(HOSTILE, HOSTILE, HOSTILE),)), Commands((HOSTILE,)), Texts((Text(HOSTILE, HOSTILE),)),
        Links((Link(HOSTILE, HOSTILE, HOSTILE),)), Session(HOSTILE, line, HOSTILE), Contents(HOSTILE, line), Change(HOSTILE, line),
    )  # fmt: skip
    written = FORMS[form](Document(blocks))
    assert not any(letter in written for letter in "\x1b\u202e")
    assert "<script>" not in document_page(Document(blocks))


def test_git_shows_a_few_short_lines() -> None:
    blocks = (Paragraph(f"{HOSTILE} one"), Items(("word " * 40,) * 9))
    lines = remote_lines(blocks)
    assert (len(lines), lines[-1], lines[1][:7]) == (16, "...", " - word")
    assert max(map(len, lines)) <= 70
    assert all(line.isprintable() for line in lines)


def test_json_and_a_name_at_the_beginning_of_a_line_order_nothing() -> None:
    text = json_text({"name": "\u202eevil\x9b31m\u200b ö"})
    assert text == '{\n "name": "\\u202eevil\\u009b31m\\u200b ö"\n}\n'
    assert json.loads(text) == {"name": "\u202eevil\x9b31m\u200b ö"}
    work = Collected(submission="x", learner="x", name="::error::x", known=True, assessment=unreadable("-"))
    assert in_terminal(Document((whose(work),))).startswith("\\::error::x")


def test_a_sign_has_a_style() -> None:
    assert SIGNS.keys() < STYLES.keys()
