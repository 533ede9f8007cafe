"""What learners send to a host: pushes, and raised hands."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct


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


class RaisedHand(Struct, frozen=True):
    """A learner who wants help: since when, and with which exercise (empty: that is not known)."""

    learner: str
    raised: str
    exercise: str
