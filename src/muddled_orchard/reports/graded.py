"""A submission's name beside its assessment: what every report of a grading is made from."""

from __future__ import annotations

from dataclasses import dataclass

from muddled_orchard.core.assessment import Assessment


@dataclass(frozen=True, slots=True)
class Graded:
    """`submission` is what was named on the command line or found below it, `learner` whose it is."""

    submission: str
    learner: str
    assessment: Assessment
