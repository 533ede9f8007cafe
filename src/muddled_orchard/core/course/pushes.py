"""What learners send to a host: pushes, and raised hands."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import datetime

from msgspec import Struct

from muddled_orchard.core.exercise.arriving import Arrival


class RecordedPush(Struct, frozen=True):
    """A push as it is written down: its number, when (ISO 8601), by whom, to which exercise, where every ref
    stood after it, and the number of its grading (None: not graded yet). `file`: it is no push, but a packed
    folder that was handed in, in this file beside the repositories."""

    id: int
    at: str
    learner: str
    exercise: str
    refs: Mapping[str, str]
    grading: int | None = None
    file: str = ""

    @property
    def name(self) -> str:
        """How the ledger calls it as a submission."""
        return f"{'folder' if self.file else 'push'} {self.id} of {self.learner} to {self.exercise}"


class CameMeanwhile(Struct, frozen=True):
    """What a teammate has pushed to a learner's repository: of which exercise and variant, which arrival it
    is (0: none, the repository was fetched for the first time), when it came, and when it was first fetched
    (None: not yet)."""

    learner: str
    exercise: str
    variant: str
    number: int
    came: str
    fetched: str | None = None


class Arrived(Struct, frozen=True):
    """What a teammate has pushed, as people read it: who, to which branch, when (in seconds since 1970), and
    whether the learner has fetched since."""

    by: str
    branch: str
    at: float
    fetched: bool

    @property
    def said(self) -> str:
        """Who was first, in a sentence."""
        return f"{self.by} had pushed to {self.branch} before."

    @property
    def waiting(self) -> str:
        """What waits to be fetched, in a few words."""
        return f"{self.by} has pushed to {self.branch} meanwhile, not fetched yet"


def arrived(arrivals: Iterable[Arrival], came: Iterable[CameMeanwhile]) -> list[Arrived]:
    """What has arrived of what a story has arrive, as people read it."""
    by_number = {one.number: one for one in came}
    return [
        Arrived(one.by, one.branch, datetime.fromisoformat(its.came).timestamp(), its.fetched is not None)
        for one in arrivals
        if (its := by_number.get(one.number)) is not None
    ]


class RaisedHand(Struct, frozen=True):
    """A learner who wants help: since when, and with which exercise (empty: that is not known)."""

    learner: str
    raised: str
    exercise: str
