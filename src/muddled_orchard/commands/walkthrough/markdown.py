"""A walkthrough as Markdown: to be handed out, or to teach from."""

from __future__ import annotations

import re
from collections.abc import Iterator

from muddled_orchard.core.walkthrough.shown import (
    answered,
    edit_lines,
    edit_told,
    marked_lines,
    place_told,
    shown_parts,
    typed,
    viewed_lines,
)
from muddled_orchard.core.walkthrough.walkthrough import (
    Edited,
    Marked,
    Part,
    Ran,
    Said,
    Viewed,
    Walkthrough,
    WalkthroughStep,
)
from muddled_orchard.show.document.text import fenced, plain
from muddled_orchard.show.figures.signs import graph_lines
from muddled_orchard.show.terminal.characters import printable

_SIGNS = {"": "", "good": "✓ ", "bad": "✗ "}


def walkthrough_markdown(walkthrough: Walkthrough) -> str:
    """The whole walkthrough; a step's graph stands behind it where it has changed."""
    blocks = [f"# {plain(walkthrough.title)}", walkthrough.brief]
    graph = None
    for step in walkthrough.steps:
        blocks += _step(step)
        if step.graph is not None and step.graph != graph:
            graph = step.graph
            blocks.append("The graph now, the newest commit first:")
            blocks.append(fenced("\n".join(map(printable, graph_lines(graph)))))
    return "\n\n".join(filter(None, blocks)) + "\n"


def _step(step: WalkthroughStep) -> Iterator[str]:
    tried = ", and back again" if step.wrong_turn else ""
    yield f"## {step.number}. {plain(step.title)}{tried}"
    yield f"*To begin here: `--at {step.name}`*"
    for part in shown_parts(step):
        yield from _part(part)


def _part(part: Part) -> Iterator[str]:
    match part:
        case Said(text, verdict):
            yield f"{_SIGNS[verdict]}{plain(text)}"
        case Ran():
            if place := place_told(part):
                yield f"{place[:1].upper()}{place[1:]}:"
            lines = [f"$ {typed(part)}", *answered(part)]
            yield fenced("\n".join(_lines_of(lines)), "console")
        case Edited():
            yield f"{plain(edit_told(part))}{':' if edit_lines(part) else '.'}"
            if changed := edit_lines(part):
                new = part.before is None
                lines = [line.text if new else f"{line.sign}{line.text}" for line in changed]
                yield fenced("\n".join(map(printable, lines)), "" if new else "diff")
        case Viewed(path):
            lines = [printable(line.text) for line in viewed_lines(part)]
            yield f"{plain(path)} reads:\n\n{fenced(chr(10).join(lines))}"
        case Marked(path):
            lines = [
                f"{printable(line.text)}{f'    <-- {printable(line.remark)}' if line.remark else ''}"
                for line in marked_lines(part)
            ]
            yield f"{plain(path)} reads:\n\n{fenced(chr(10).join(lines))}"


def _lines_of(lines: list[str]) -> Iterator[str]:
    """Tabs stay: Git's answers are set with them."""
    for line in lines:
        yield from (re.sub(r"[^\t]+", lambda match: printable(match[0]), one) for one in line.split("\n"))
