"""What a learner reads first: the brief as Markdown, and as a page with the graph to look at."""

from __future__ import annotations

import functools
import re

from markupsafe import Markup
from msgspec.structs import replace

from muddled_orchard.core.exercise.brief_notes import (
    STUCK,
    beginning,
    beginning_again,
    handing_in,
    with_parts,
)
from muddled_orchard.core.exercise.own_copy import BeginAgain
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import rendered, template
from muddled_orchard.show.words import with_words

BRIEF, PAGE = "BRIEF.md", "BRIEF.html"

_ID = "@{}@"
"""What stands for a commit's id in a page that variants share."""


def brief_markdown(scenario: Scenario, again: BeginAgain) -> str:
    """Title and brief, how to begin and to begin again, where to get help, and how to hand in."""
    parts = {
        "Begin": beginning(scenario, again),
        "Begin again": beginning_again(again),
        "Stuck?": STUCK,
        "Handing in": handing_in(scenario),
    }
    return with_parts(scenario, parts)


def brief_page(scenario: Scenario, graph: Graph | None, again: BeginAgain) -> str:
    """The same as a page that stands alone; `graph` is what is handed out (None: nothing)."""
    places = tuple((branch, _ID.format(number)) for number, (branch, _) in enumerate(again.branches))
    shared = replace(again, branches=places)
    about = (
        scenario.title.strip(), scenario.brief_for(), beginning(scenario, again), beginning_again(shared),
        handing_in(scenario),
    )  # fmt: skip
    page = _page(*about, scenario.language, graph)
    for number, (_, id_) in enumerate(again.branches):
        page = page.replace(_ID.format(number), id_)
    return page


@functools.lru_cache(maxsize=512)  # variants with the same values share their page, but for ids
def _page(
    title: str, brief: str, begin: str, again: str, how: str, language: str, graph: Graph | None
) -> str:
    page = template("classroom/brief_page.html").render(
        title=title,
        language=language,
        brief=rendered(brief),
        begin=rendered(begin) if begin else "",
        # Every text in it is escaped there.
        graph=Markup(graph_svg(graph)) if graph else "",  # noqa: S704
        told=told(graph) if graph else "",
        remote=any(is_on_remote(name) for node in graph.nodes for name in node.branches) if graph else False,
        again=rendered(again),
        stuck=rendered(STUCK),
        handing_in=rendered(how),
    )
    before, main, after = re.split(r"(?s)(?<=<main class=\"beside\">)(.*)(?=</main>)", page)
    return f"{before}{with_words(main)}{after}"
