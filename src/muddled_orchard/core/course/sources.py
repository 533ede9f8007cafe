"""Where each learner's repository is on a server, and what came of gathering it or of pushing to it."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from typing import Literal
from urllib.parse import quote

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.roster import Learner

State = Literal["new", "changed", "unchanged", "failed"]

COLUMN = "url"
"""The column of the roster that has the address, where no other is named."""

SCHEMES = ("https", "http", "ssh", "git", "file")

_URL = pattern(rf"({'|'.join(SCHEMES)})://.+")
_USE = pattern(r"\{([^{}]*)\}")
_SECRET = pattern(r"(?<=://)[^/@]+@")


class Source(Struct, frozen=True):
    """A repository to be gathered: whose it is, the exercise (empty where a learner has one repository for
    all), the URL, and the path below the folder that it goes to."""

    learner: str
    exercise: str
    url: str
    place: str


class Gathered(Struct, frozen=True):
    """What came of it; `reason` says why it could not be had."""

    source: Source
    state: State
    reason: str = ""


class Pushed(Struct, frozen=True):
    """What came of pushing a hand-out: `there` is one that the server has, which is left as it is; `reason`
    says why it could not be pushed."""

    source: Source
    state: Literal["pushed", "there", "failed"]
    reason: str = ""


def without_secret(text: str) -> str:
    """A text without the name and the password that a URL in it may have."""
    return _SECRET.sub("", text)


def sources(
    learners: Iterable[Learner],
    template: str,
    given: Mapping[str, Sequence[str]],
    option: str = "--url",
) -> Iterator[Source]:
    """The repositories of learners by a template of URLs: `{id}`, `{exercise}`, and every column of the
    roster by its name stand for what they hold, written as URLs have it. `given` has the exercises that each
    was handed out; `option` is where the template was given.

    Raises BadInput for what is no URL, and for a column that there isn't.
    """
    uses = dict.fromkeys(_USE.findall(template))
    for learner in learners:
        held = {"id": learner.id, "name": learner.name, **learner.more}
        for exercise in given.get(learner.id, ()) if "exercise" in uses else ("",):
            filled = _filled(template, {**held, "exercise": exercise}, option)
            place = f"{exercise}/{learner.id}.git" if exercise else f"{learner.id}.git"
            yield Source(learner.id, exercise, filled, place)


def once_each(found: Iterable[Source]) -> list[Source]:
    """Each repository once: what several share lies in the place of the first of them."""
    first: dict[str, Source] = {}
    for source in found:
        first.setdefault(source.url, source)
    return list(first.values())


def by_column(learners: Iterable[Learner], column: str) -> Iterator[Source]:
    """The repositories that a column of the roster names; who has none there is left out. Raises BadInput."""
    there: dict[str, None] = {}
    some = False
    for learner in learners:
        there |= dict.fromkeys(learner.more)
        url = learner.more.get(column, "").strip()
        if url:
            some = True
            yield Source(learner.id, "", _checked(url), f"{learner.id}.git")
    if not some:
        what = f'the roster has no address in a column "{column}"'
        raise BadInput(Problem(what, f"Name the column, or give --url. {likely(column, there)}".strip()))


def _filled(template: str, held: Mapping[str, str], option: str) -> str:
    def value(use: re.Match[str]) -> str:
        if use[1] not in held:
            raise BadInput(Problem(f"{option}: there is no column {use[0]}", likely(use[1], held)))
        return quote(held[use[1]], safe="")

    return _checked(_USE.sub(value, template))


def _checked(url: str) -> str:
    if not _URL.fullmatch(url) or any(ord(letter) < 33 for letter in url):
        hint = f"It begins with {'://, '.join(SCHEMES)}://."
        raise BadInput(Problem(f'"{without_secret(url)[:100]}" is no URL of a repository', hint))
    return url


def unknown(asked: Collection[str], learners: Iterable[Learner]) -> BadInput | None:
    """What to say of learners that the roster has not."""
    ids = [learner.id for learner in learners]
    problems = [Problem(f'there is no learner "{one}"', likely(one, ids)) for one in asked if one not in ids]
    return BadInput(problems) if problems else None
