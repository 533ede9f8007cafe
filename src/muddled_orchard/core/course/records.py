"""What a course remembers: what each learner got, and every grading of what came back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class HandOut:
    """What one learner got: the variant's code, the digest of the scenario it was made from, the id of the
    first commit, and where the branches stood."""

    exercise: str
    learner: str
    variant: str
    scenario: str
    first_commit: str
    tips: Mapping[str, str]
    file: str
    made: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Grading:
    """One submission graded: when, what (its path, and a fingerprint of its content), with which version
    and scenario, and the result as JSON."""

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
    graded: str = ""
