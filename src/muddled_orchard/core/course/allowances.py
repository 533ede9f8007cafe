"""What single persons are allowed: more time for an exercise, or to be excused from it."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from msgspec import Struct


class Allowance(Struct, frozen=True, kw_only=True):
    """More time for one learner and exercise (`due`, with its time zone), or that they are excused from it
    (no `due`); why, and who says so (empty: the course file does)."""

    learner: str
    exercise: str
    due: datetime | None
    reason: str = ""
    by: str = ""
    made: str = ""
    id: int = 0


class Allowances:
    """What everybody is allowed. Of several for one learner and exercise the last counts."""

    def __init__(self, all_of_them: Iterable[Allowance] = ()) -> None:
        self._known: dict[tuple[str, str], list[Allowance]] = {}
        for one in all_of_them:
            self._known.setdefault((one.learner, one.exercise), []).append(one)

    def of(self, learner: str, exercise: str) -> Allowance | None:
        """What counts for a learner in an exercise, if anything is allowed."""
        known = self._known.get((learner, exercise))
        return known[-1] if known else None

    def excused(self, learner: str, exercise: str) -> bool:
        """Whether the exercise counts nowhere for this learner."""
        found = self.of(learner, exercise)
        return found is not None and found.due is None

    def due(self, learner: str, exercise: str, due: datetime | None) -> datetime | None:
        """When a learner's work has to be in, where it is `due` for everybody; None: there is no time."""
        found = self.of(learner, exercise)
        return due if found is None or found.due is None else found.due


NOTHING_ALLOWED = Allowances()


def time_with_zone(at: datetime) -> str:
    """A time as people read it, with the zone that it is said in: `2031-09-08 18:00 UTC+02:00`."""
    return f"{at:%Y-%m-%d %H:%M} {at.tzname()}"
