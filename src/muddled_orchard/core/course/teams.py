"""Teams: who shares a repository on a host, and in whose place it lies."""

from __future__ import annotations

from collections.abc import Iterable

from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner

_REPOSITORY = ".git"


def whose_repository(learner: str, team: str, had: HandOut | None, learners: Iterable[Learner]) -> str:
    """In whose place (their id) the repository of a learner lies that a host serves: in their own, or in that
    of the first one of their team. `had` is what they were handed out before: it stays where it was."""
    if not team:
        return learner
    if had is not None and had.file.endswith(_REPOSITORY):
        return had.file.rpartition("/")[2].removesuffix(_REPOSITORY)
    return next((other.id for other in learners if other.team == team), learner)
