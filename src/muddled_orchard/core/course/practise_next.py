"""What to practise next: bundled exercises that ask for what went wrong."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import islice

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.document import Link
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
    fitting = [
        summary
        for summary in bundled
        if summary.id != own.id and set(summary.operations) & set(own.operations)
    ]
    fitting.sort(key=lambda summary: (not _shared(own, summary), _farther(own, summary), summary.id))
    return tuple(Link(summary.id, summary.title, _why(own, summary)) for summary in fitting)


def _shared(own: ExerciseSummary, summary: ExerciseSummary) -> set[str]:
    return set(own.kinds) & set(summary.kinds)


def _farther(own: ExerciseSummary, summary: ExerciseSummary) -> float:
    above = summary.difficulty.points - own.difficulty.points
    return 2.0 * above if above > 0 else float(-above)


def _why(own: ExerciseSummary, summary: ExerciseSummary) -> str:
    operation = listed(sorted(set(own.operations) & set(summary.operations)))
    kinds = sorted(_shared(own, summary))
    like = f"also a {operation}"
    return f"{like}, with a conflict of the same kind ({listed(kinds)})" if kinds else like
