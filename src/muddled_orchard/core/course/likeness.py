"""Pairs of learners whose work agrees more than the class makes likely: a reason to look, never a verdict.

What two learners share counts by how rare it is in the class, in bits: what one in eight has counts 3. A text
of their own counts for more by the letters of those words in it that none of the sides had; where learners
make the conflict, so do its sides.
Mistakes of one exercise go together, so the rarest of them alone counts. A pair is told where so many bits
are not to be expected among all pairs of the class, or where both have a commit that only one can have made.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations
from math import log2
from typing import Literal, NamedTuple

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.phrases import brief, counted, listed
from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.totals import Attempt
from muddled_orchard.core.grading.assessment import made_own

Kind = Literal["commit", "text", "mistake"]

FEWEST = 10
"""In a smaller class nothing is rare: shared commits alone are told."""

_LARGEST_GROUP = 20
_CHANCE = 5.0  # bits beyond what one pair of the class would have: one such class in 32 has one by chance
_LETTER = 1.5  # bits that a letter of one's own words is worth, about what it is in English
_MOST_LETTERS = 40


class Shared(NamedTuple):
    """Something that two learners share: its kind, the exercise, what it is in words, and how many letters
    their own words in it have."""

    kind: Kind
    exercise: str
    what: str
    letters: int = 0


class Pair(Struct, frozen=True):
    """Two learners, what they share, and how many bits that is worth."""

    one: str
    other: str
    shared: tuple[Shared, ...]
    bits: float

    def told(self, names: Mapping[str, str]) -> str:
        """In a sentence: who, and what agrees."""
        who = [names.get(id_, id_) for id_ in (self.one, self.other)]
        return f"{' and '.join(who)} share {listed(self.things, 5)}."

    @property
    def things(self) -> list[str]:
        """What agrees, in words; commits are counted."""
        commits = Counter(thing.exercise for thing in self.shared if thing.kind == "commit")
        parts = [f"{counted(count, 'own commit')} in {exercise}" for exercise, count in commits.items()]
        return parts + [f"{one.what} ({one.exercise})" for one in self.shared if one.kind != "commit"]


def alike(record: ClassRecord) -> list[Pair]:
    """The pairs that are worth a look, the likeliest first. Time grows with the class, not with its pairs:
    what more than twenty learners share is no evidence."""
    holders: dict[Shared, dict[str, None]] = {}
    learners = set()
    for attempt in _counting(record):
        learners.add(attempt.learner)
        for thing in _things(attempt):
            holders.setdefault(thing, {})[attempt.learner] = None
    count = len(learners)
    most = min(_LARGEST_GROUP, max(3, count // 10))
    shared: dict[tuple[str, str], list[Shared]] = {}
    for thing, group in holders.items():
        if 2 <= len(group) <= most and (thing.kind == "commit" or count >= FEWEST):
            for pair in combinations(sorted(group), 2):
                shared.setdefault(pair, []).append(thing)
    rarity = {thing: log2(count / len(group)) for thing, group in holders.items() if len(group) > 1}
    enough = log2(max(1, count * (count - 1) / 2)) + _CHANCE
    pairs = []
    for (one, other), things in shared.items():
        bits = _bits(things, rarity)
        if bits >= enough or any(thing.kind == "commit" for thing in things):
            pairs.append(Pair(one, other, tuple(sorted(things)), round(bits, 1)))
    return sorted(pairs, key=lambda pair: (_without_commits(pair), -pair.bits, pair.one, pair.other))


def _without_commits(pair: Pair) -> bool:
    return all(thing.kind != "commit" for thing in pair.shared)


def _bits(things: list[Shared], rarity: Mapping[Shared, float]) -> float:
    mistakes: dict[str, float] = {}
    total = 0.0
    for thing in things:
        if thing.kind == "mistake":
            mistakes[thing.exercise] = max(mistakes.get(thing.exercise, 0.0), rarity[thing])
        else:
            total += rarity[thing] + _LETTER * min(_MOST_LETTERS, thing.letters)
    return total + sum(mistakes.values())


def _letters(own: Sequence[str | None], given: Sequence[str | None]) -> int:
    """How many letters those words have in texts of a learner's own that none of the given ones has."""
    words, others = ({word for text in texts for word in _WORD.findall(text or "")} for texts in (own, given))
    return sum(map(len, words - others))


_WORD = pattern(r"\w+")


def _counting(record: ClassRecord) -> Iterator[Attempt]:
    for total in record.standing.totals:
        for mark in total.marks:
            if mark.attempt is not None and record.is_first_of_team(mark.attempt):
                yield mark.attempt


def _things(attempt: Attempt) -> Iterator[Shared]:
    """What a work has that another one might share."""
    verdicts, exercise = attempt.work.verdicts, attempt.exercise
    if verdicts is None:
        return
    for commit in verdicts.commits:
        yield Shared("commit", exercise, commit)
    own = made_own(verdicts.criteria)
    for hunk in verdicts.hunks:
        place = f"{hunk.file}:{hunk.hunk}" if hunk.hunk else hunk.file
        if hunk.kept == "blend" and (letters := _letters((hunk.left,), (hunk.base, hunk.ours, hunk.theirs))):
            text = " ".join((hunk.left or "").split())
            yield Shared("text", exercise, f'"{brief(text)}" in {place}', letters)
        if own and (letters := _letters((hunk.ours, hunk.theirs), (hunk.base,))):
            sides = sorted(" ".join((side or "").split()) for side in (hunk.ours, hunk.theirs))
            quoted = " and ".join(f'"{brief(side)}"' for side in sides)
            yield Shared("text", exercise, f"the sides {quoted} in {place}", letters)
        if hunk.outcome == "missed" and hunk.kept != "blend":
            yield Shared("mistake", exercise, f"{hunk.kept} kept in {place}")
    for criterion in verdicts.criteria:
        if criterion.outcome.verdict in ("partly", "missed") and criterion.id != "resolution":
            yield Shared("mistake", exercise, f"{criterion.id} {criterion.outcome.verdict}")
