"""A walkthrough as an HTML page that stands alone: a step at a time by keys and buttons, or all of it to read
and to print. Without scripts all steps are there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from markupsafe import Markup

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.core.walkthrough.shown import shown_blocks
from muddled_orchard.core.walkthrough.walkthrough import Walkthrough
from muddled_orchard.show.document.page import blocks_html
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import rendered, template
from muddled_orchard.show.terminal.characters import printable


def walkthrough_page(walkthrough: Walkthrough) -> str:
    """The page."""
    return template("commands/walkthrough/page.html").render(
        title=printable(walkthrough.title),
        id=walkthrough.id,
        language=walkthrough.language,
        brief=rendered(walkthrough.brief),
        steps=list(_steps(walkthrough)),
        last=walkthrough.steps[-1].number,
    )


def _steps(walkthrough: Walkthrough) -> Iterator[dict[str, Any]]:
    before: Graph | None = None
    for step in walkthrough.steps:
        graph = step.graph if step.graph != before else None
        before = step.graph or before
        yield {
            "number": step.number,
            "name": step.name,
            "anchor": f"step-{step.number}",
            "title": printable(step.title),
            "wrong_turn": step.wrong_turn,
            "half": step.half,
            "parts": Markup(blocks_html(shown_blocks(step))),  # noqa: S704 - every text in it is escaped
            "graph": Markup(graph_svg(graph)) if graph else None,  # noqa: S704 - the same
            "told": printable(told(graph)) if graph else "",
        }
