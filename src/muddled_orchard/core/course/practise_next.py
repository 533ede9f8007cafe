"""What to practise next: bundled exercises that ask for what went wrong."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import islice

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.course.document import Link
from muddled_orchard.core.key.exercise_summary import ExerciseSummary

MOST = 3
_FOR_ONE = 2


def practise_next(wrong: Sequence[str], like: Mapping[str, Like], had: Collection[str]) -> tuple[Link, ...]:
    """At most MOST exercises that are like those which went wrong (their ids, the worst first). `like` has
    the bundled ones that are, by the id of an exercise, `had` those that the learner has been given."""
    found: dict[str, Link] = {}
    for id_ in wrong:
        fitting = (link for link in like.get(id_, ()) if link.id not in had and link.id not in found)
        found |= {link.id: link for link in islice(fitting, _FOR_ONE)}
    return tuple(found.values())[:MOST]


Like = tuple[Link, ...]
"""Exercises that are like one, the likest and easiest first."""


def like(own: ExerciseSummary, bundled: Iterable[ExerciseSummary]) -> Like:
    """Those that ask for the same operation, with the same kinds of conflict first, the nearest in difficulty
    and rather the easier next."""
    fitting = [one for one in bundled if one.id != own.id and set(one.operations) & set(own.operations)]
    fitting.sort(key=lambda one: (not _shared(own, one), _farther(own, one), one.id))
    return tuple(Link(one.id, one.title, _why(own, one)) for one in fitting)


def _shared(own: ExerciseSummary, one: ExerciseSummary) -> set[str]:
    return set(own.kinds) & set(one.kinds)


def _farther(own: ExerciseSummary, one: ExerciseSummary) -> float:
    above = one.difficulty.points - own.difficulty.points
    return 2.0 * above if above > 0 else float(-above)


def _why(own: ExerciseSummary, one: ExerciseSummary) -> str:
    operation = listed(sorted(set(own.operations) & set(one.operations)))
    kinds = sorted(_shared(own, one))
    like = f"also a {operation}"
    return f"{like}, with a conflict of the same kind ({listed(kinds)})" if kinds else like
