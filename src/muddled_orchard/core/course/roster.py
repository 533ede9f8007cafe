"""Who takes part, and which variant each learner gets."""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import Struct, field

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import Problem

# An id becomes a file's name on every system.
_ID = pattern(r"[^\W_][\w.@+-]{0,63}")
_RESERVED = pattern(r"(con|prn|aux|nul|com\d|lpt\d)(\..*)?", re.IGNORECASE)


class Learner(Struct, frozen=True):
    """A row of the roster; `more` are its further columns by name."""

    id: str
    name: str
    more: Mapping[str, str] = field(default_factory=dict)

    @property
    def team(self) -> str:
        """Who they work with, where a column says so; empty: nobody."""
        return next((cell for heading, cell in self.more.items() if is_of_teams(heading)), "")


def misfits(rows: Sequence[tuple[int, Learner]]) -> Iterator[Problem]:
    """What is wrong with a roster's rows, each given with its line."""
    seen: dict[str, int] = {}
    for line, learner in rows:
        if not learner.id:
            yield Problem("the id is empty", "Every learner needs one.", line=line)
            continue
        if not _ID.fullmatch(learner.id) or learner.id.endswith(".") or _RESERVED.fullmatch(learner.id):
            hint = (
                "It becomes a file's name: up to 64 letters, digits and . - _ @ +, a letter or digit first."
            )
            yield Problem(f'"{learner.id}" can\'t be an id', hint, line=line)
        # Some file systems don't tell case apart.
        before = seen.setdefault(learner.id.casefold(), line)
        if before != line:
            yield Problem(f'the id "{learner.id}" is also in line {before}', "An id is unique.", line=line)


class Columns(Struct, frozen=True):
    """Which columns of a roster hold the id, the name and the team (empty: none); several make a name
    together. `guessed`: nobody said so, and they are called otherwise."""

    id: str
    name: tuple[str, ...]
    guessed: bool = False
    team: str = ""


# How other programs head these columns, the likeliest first; upper and lower case don't matter.
_IDS = (
    "id", "username", "user name", "login", "login id", "user id", "student id", "id number",
    "student number", "email", "email address", "e-mail",
)  # fmt: skip
_NAMES = (
    ("name",), ("full name",), ("student",), ("student name",), ("display name",),
    ("first name", "last name"), ("first name", "surname"), ("given name", "family name"),
)  # fmt: skip


_TEAMS = ("team", "team name", "group", "group name")


def is_of_teams(heading: str) -> bool:
    """Whether a column of this heading says who works together."""
    return heading.casefold() in _TEAMS


def columns_in(heading: Sequence[str]) -> Columns | None:
    """The columns of the id and the name, or what is likeliest to be them; None where nothing is an id."""
    there = {name.casefold(): name for name in reversed(heading)}
    id_ = next((there[name] for name in _IDS if name in there), None)
    name = next((tuple(there[name] for name in names) for names in _NAMES if set(names) <= there.keys()), ())
    if id_ is None:
        return None
    plain = id_.casefold() == "id" and (not name or tuple(map(str.casefold, name)) == ("name",))
    return Columns(id_, name, not plain)


def shown_names(learners: Iterable[Learner]) -> dict[str, str]:
    """What each learner is called wherever people are shown, by id: the name, with the id behind it where
    several have that name."""
    known = list(learners)
    counts = Counter(learner.name.casefold() for learner in known)
    return {
        learner.id: f"{learner.name} ({learner.id})" if counts[learner.name.casefold()] > 1 else learner.name
        for learner in known
    }


def variant_code(secret: bytes, exercise: str, learner: str, team: str = "", number: int = 0) -> str:
    """A learner's variant of an exercise, or their team's, or a further one (`number`): a keyed hash, so that
    nobody can tell it from the name."""
    whose = f"\n{team}" if team else learner
    seed = (f"{exercise}\n{whose}\n{number}" if number else f"{exercise}\n{whose}").encode()
    return hashlib.blake2b(seed, key=secret, digest_size=8).hexdigest()
