"""What a course remembers: what each learner got, and every grading of what came back."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
from msgspec import Struct

from muddled_orchard.core.grading.verdicts import Verdicts


class HandOut(Struct, frozen=True, kw_only=True):
    """What one learner got: the variant's code, the digest of the scenario that it is graded by, the id of
    the first commit, and where the branches stood. `team`: who shares it, where it is a team's; `replaced`:
    when another one took its place."""

    exercise: str
    learner: str
    variant: str
    scenario: str
    first_commit: str
    tips: Mapping[str, str]
    file: str
    made: str = ""
    team: str = ""
    replaced: str | None = None


class Grading(msgspec.Struct, frozen=True, kw_only=True, array_like=True, gc=False):
    """One submission graded: when, what (its path, and a fingerprint of its content), with which version
    and scenario, and the result as JSON. `pile` is the folder or archive full of submissions that it lay in
    (empty: it was named by itself; None: that was not written down yet). In the order of the ledger's
    columns."""

    id: int = 0
    graded: str = ""
    submission: str
    fingerprint: str
    version: str
    scenario: str
    exercise: str
    variant: str
    learner: str | None
    state: str
    points: float
    possible: float
    result: str
    pile: str | None = None


class Work(msgspec.Struct, frozen=True, gc=False):
    """A grading as it counts in the course, and what was found, with what persons settled; None where the
    ledger has no result of it any more."""

    grading: Grading
    verdicts: Verdicts | None

    @property
    def percent(self) -> float:
        """What it is worth, in percent, to a tenth."""
        if self.verdicts is not None:
            return self.verdicts.percent
        grading = self.grading
        return round(100 * grading.points / grading.possible, 1) if grading.possible else 0.0

    @property
    def settled_whole(self) -> bool:
        """Whether a person settled all of it."""
        return bool(self.verdicts and self.verdicts.settled and self.verdicts.settled.earned is not None)
