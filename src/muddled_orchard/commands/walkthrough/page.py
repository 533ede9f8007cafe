"""A walkthrough as an HTML page that stands alone: a step at a time by keys and buttons, or all of it to read
and to print. Without scripts all steps are there."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape
from typing import Any

from markupsafe import Markup

from muddled_orchard.core.key.graph import Graph
from muddled_orchard.core.walkthrough.shown import (
    answered,
    edit_lines,
    edit_told,
    marked_lines,
    place_told,
    shown_parts,
    shows_diff,
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
)
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import rendered, template
from muddled_orchard.show.terminal.characters import printable

_SIGNS = {"": "", "good": '<span class="sign">✓</span> ', "bad": '<span class="sign">✗</span> '}
_CHANGED = {"+": "ins", "-": "del", "@": "cut"}
_LINES = {"left out": "cut"}


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
            "parts": Markup("\n".join(map(_part, shown_parts(step)))),  # noqa: S704 - every text in it is escaped
            "graph": Markup(graph_svg(graph)) if graph else None,  # noqa: S704 - the same
            "told": printable(told(graph)) if graph else "",
        }


def _part(part: Part) -> str:
    match part:
        case Said(text, verdict):
            return f'<p class="{verdict or "said"}">{_SIGNS[verdict]}{_text(text)}</p>'
        case Ran():
            place = f'<span class="place">{_text(place_told(part))} </span>' if place_told(part) else ""
            lines = "\n".join(_answer(line, of_diff=shows_diff(part)) for line in answered(part))
            return _code(f"{place}<b>$ {_lines(typed(part))}</b>" + (f"\n{lines}" if lines else ""))
        case Edited():
            return _edited(part)
        case Viewed(path):
            shown = [(_LINES.get(line.kind, line.kind), line.text, "") for line in viewed_lines(part)]
            return _file(path, shown)
        case Marked(path):
            named = [
                (_LINES.get(line.kind, line.kind), line.text, line.remark) for line in marked_lines(part)
            ]
            return _file(path, named)


def _edited(edit: Edited) -> str:
    changed = edit_lines(edit)
    title = f'<p class="file" dir="auto">{_text(edit_told(edit))}</p>'
    if not changed:
        return title
    new = edit.before is None
    lines = []
    for line in changed:
        kind = _CHANGED.get(line.sign)
        text = _text(line.text)
        if new or kind is None:
            lines.append(f"{'' if new else '  '}{text}")
        else:
            lead = "" if line.sign == "@" else f"{line.sign} "
            lines.append(f'<span class="{kind}">{lead}{text}</span>')
    return title + _code("\n".join(lines))


def _file(path: str, lines: list[tuple[str, str, str]]) -> str:
    shown = []
    for kind, text, remark in lines:
        behind = f'<span class="remark"> ◂ {_text(remark)}</span>' if remark else ""
        line = f"{_text(text)}{behind}"
        shown.append(line if kind == "clean" else f'<span class="{kind}">{line or " "}</span>')
    return _code(f"<b>$ cat {_text(path)}</b>\n" + "\n".join(shown))


def _code(inside: str) -> str:
    return f'<pre tabindex="0" dir="ltr"><code>{inside}</code></pre>'


def _text(text: str) -> str:
    return escape(printable(text))


def _answer(line: str, *, of_diff: bool) -> str:
    text = _text(line.expandtabs(8))
    kind = _CHANGED.get(line[:1]) if of_diff and not line.startswith(("+++", "---")) else None
    return f'<span class="{kind}">{text}</span>' if kind else text


def _lines(text: str) -> str:
    return "\n".join(map(_text, text.split("\n")))
