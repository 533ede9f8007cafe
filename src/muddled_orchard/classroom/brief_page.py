"""What a learner reads first: the brief as Markdown, and as a page with the graph to look at."""

from __future__ import annotations

import functools

from markupsafe import Markup

from muddled_orchard.core.exercise.cloning import beyond_a_bundle
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import rendered, template

BRIEF, PAGE = "BRIEF.md", "BRIEF.html"

_HANDING_IN = """\
Hand in the whole folder `{id}`, with `work` in it and everything in `work`, also what can't be seen
(`.git`). Packed into one file it is easiest to send:

- Linux and macOS, in the folder above: `tar czf {id}-done.tar.gz {id}`
- Windows: right-click the folder, *Compress to ZIP file*

The file's name doesn't matter; whose it is, is written in its first commit.
"""

_BUNDLE = """\

Where only one small file can be sent, `git bundle create {id}-done.bundle --all` (in `work`) packs the
commits alone: commit everything first.
"""


def brief_markdown(scenario: Scenario) -> str:
    """Title and brief, and how to hand in."""
    return f"{scenario.brief_text}\n## Handing in\n\n{_handing_in(scenario)}"


def _handing_in(scenario: Scenario) -> str:
    """How to hand in; a bundle only where it shows all that is asked."""
    text = _HANDING_IN if beyond_a_bundle(scenario) else _HANDING_IN + _BUNDLE
    return text.format(id=scenario.id)


def brief_page(scenario: Scenario, graph: Graph) -> str:
    """The same as a page that stands alone; `graph` is what is handed out."""
    return _page(scenario.title.strip(), scenario.brief, _handing_in(scenario), scenario.language, graph)


@functools.lru_cache(
    maxsize=512
)  # variants with the same values share their page, and nearly all their brief
def _page(title: str, brief: str, handing_in: str, language: str, graph: Graph) -> str:
    return template("classroom/brief_page.html").render(
        title=title,
        language=language,
        brief=rendered(brief),
        graph=Markup(graph_svg(graph)),  # noqa: S704 - every text in it is escaped there
        told=told(graph),
        remote=any(is_on_remote(name) for node in graph.nodes for name in node.branches),
        handing_in=rendered(handing_in),
    )
