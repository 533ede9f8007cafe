"""What a list shows of an exercise, as JSON."""

from __future__ import annotations

from typing import Annotated

from msgspec import Struct

from muddled_orchard.core.key.exercise_summary import LEVELS, Difficulty
from muddled_orchard.show.json.shapes import about, one_of
from muddled_orchard.show.json.writing import shaped


class ReasonOut(Struct):
    """What makes a scenario harder."""

    points: int
    why: str


class DifficultyOut(Struct):
    """How hard a scenario is."""

    level: Annotated[str, one_of(*LEVELS)]
    points: int
    reasons: list[ReasonOut]


class SummaryOut(Struct):
    """What a list shows of a scenario."""

    id: str
    title: str
    operations: list[str]
    kinds: Annotated[list[str], about("Git's words for the conflicts that occur.")]
    hunks: int
    difficulty: DifficultyOut


def difficulty_out(difficulty: Difficulty) -> DifficultyOut:
    """How hard an exercise is."""
    reasons = [ReasonOut(points, why) for points, why in difficulty.reasons]
    return shaped(DifficultyOut, difficulty, reasons=reasons)
