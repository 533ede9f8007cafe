"""What all pages share: their templates, which have one style, and texts of people as Markdown.

Every page stands alone, and may load nothing: what is in it of a learner stays text.
"""

from __future__ import annotations

import functools
from importlib.resources import files

from jinja2 import Environment, FunctionLoader, StrictUndefined, Template
from markdown_it import MarkdownIt
from markupsafe import Markup


@functools.cache
def template(name: str) -> Template:
    """The template of this name, which is its path in the package; everything that is put into it is
    escaped."""
    return _environment().get_template(name)


@functools.cache
def _environment() -> Environment:
    package = files("muddled_orchard")
    loader = FunctionLoader(lambda name: package.joinpath(name).read_text("utf-8"))
    return Environment(
        autoescape=True, loader=loader, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )


@functools.lru_cache(maxsize=256)
def rendered(markdown: str) -> Markup:
    """Markdown as HTML, without HTML of its own: what stands in a scenario is text."""
    return Markup(MarkdownIt("commonmark", {"html": False}).enable("table").render(markdown))  # noqa: S704
