"""Words of Git on pages for learners: each leads to what it means, at the end of the page."""

from __future__ import annotations

import functools
import re
import tomllib
from html import escape
from importlib.resources import files

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern

_TAG = pattern(r"(<[^>]*>)")
_NAME = pattern(r"</?([a-z0-9]+)")
_NOT_IN = frozenset(["a", "button", "code", "figcaption", "h1", "h2", "h3", "h4", "pre", "summary", "title"])
"""In which parts of a page no word becomes a link."""
_FIGURE = pattern(r"(?s)(<figure\b.*?</figure>)")
"""In what is drawn no word is looked for."""


class Word(Struct, frozen=True):
    """A word and what it means."""

    name: str
    means: str

    @property
    def anchor(self) -> str:
        """The id of its meaning on a page."""
        return f"word-{re.sub(r'[^a-z]+', '-', self.name.lower()).strip('-')}"


@functools.cache
def _known() -> tuple[dict[str, Word], re.Pattern[str]]:
    """Each form of each word, as HTML has it, and what finds any of them, the longest first."""
    data = tomllib.loads(files("muddled_orchard").joinpath("show/words.toml").read_text("utf-8"))
    forms = {
        escape(form): Word(name, about["means"]) for name, about in data.items() for form in about["find"]
    }
    either = "|".join(re.escape(form) for form in sorted(forms, key=len, reverse=True))
    return forms, re.compile(rf"(?<![\w-])(?:{either})(?![\w-])")


@functools.lru_cache(maxsize=4_096)
def _has_words(text: str) -> bool:
    """Whether there is a word in a text: what is told of a class is much the same for all."""
    return _known()[1].search(text) is not None


def with_words(body: str) -> str:
    """The body of a page with a list of the words that occur in it; where one occurs first in running text,
    it leads there."""
    forms, pattern = _known()
    there: dict[str, Word] = {}
    linked: set[str] = set()

    def marked(match: re.Match[str]) -> str:
        word = forms[match[0]]
        there[word.name] = word
        if not_in or word.name in linked:
            return match[0]
        linked.add(word.name)
        return f'<a class="word" href="#{word.anchor}">{match[0]}</a>'

    parts = [
        part
        for piece in _FIGURE.split(body)
        for part in ([piece] if _FIGURE.match(piece) else _TAG.split(piece))
    ]
    not_in = 0
    for number, part in enumerate(parts):
        if not part.startswith("<"):
            parts[number] = pattern.sub(marked, part) if len(part) > 2 and _has_words(part) else part
        elif (name := _NAME.match(part)) is not None and name[1] in _NOT_IN:
            not_in += -1 if part.startswith("</") else 1
    if not there:
        return body
    rows = "".join(
        f'<dt id="{word.anchor}">{escape(word.name)}</dt><dd>{escape(word.means)}.</dd>'
        for word in sorted(there.values(), key=lambda word: word.name.lower())
    )
    listed = f'<section lang="en" class="words"><h2>Words that come up</h2><dl>{rows}</dl></section>'
    return f"{''.join(parts)}\n{listed}"
