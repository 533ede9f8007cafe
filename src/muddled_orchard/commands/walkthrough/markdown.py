"""A walkthrough as Markdown: to be handed out, or to teach from."""

from __future__ import annotations

from muddled_orchard.core.walkthrough.shown import shown_blocks
from muddled_orchard.core.walkthrough.walkthrough import Walkthrough
from muddled_orchard.show.document.text import fenced, markdown_blocks, plain
from muddled_orchard.show.figures.signs import graph_lines
from muddled_orchard.show.terminal.characters import printable


def walkthrough_markdown(walkthrough: Walkthrough) -> str:
    """The whole walkthrough; a step's graph stands behind it where it has changed."""
    parts = [f"# {plain(walkthrough.title)}", walkthrough.brief]
    graph = None
    for step in walkthrough.steps:
        tried = ", and back again" if step.wrong_turn else ""
        parts.append(f"## {step.number}. {plain(step.title)}{tried}")
        parts.append(f"*To begin here: `--at {step.name}`*")
        parts.append(markdown_blocks(shown_blocks(step)))
        if step.graph is not None and step.graph != graph:
            graph = step.graph
            parts.append("The graph now, the newest commit first:")
            parts.append(fenced("\n".join(map(printable, graph_lines(graph)))))
    return "\n\n".join(filter(None, parts)) + "\n"
