"""What a list shows of an exercise, as JSON."""

from __future__ import annotations

from typing import Annotated, TypedDict

from muddled_orchard.core.key.exercise_summary import LEVELS, ExerciseSummary
from muddled_orchard.show.json.shapes import about, one_of


class ReasonOut(TypedDict):
    """What makes a scenario harder."""

    points: int
    why: str


class DifficultyOut(TypedDict):
    """How hard a scenario is."""

    level: Annotated[str, one_of(*LEVELS)]
    points: int
    reasons: list[ReasonOut]


class SummaryOut(TypedDict):
    """What a list shows of a scenario."""

    id: str
    title: str
    operations: list[str]
    kinds: Annotated[list[str], about("Git's words for the conflicts that occur.")]
    hunks: int
    difficulty: DifficultyOut


def summary_out(survey: ExerciseSummary) -> SummaryOut:
    """What a list shows of a scenario."""
    return {
        "id": survey.id,
        "title": survey.title,
        "operations": list(survey.operations),
        "kinds": list(survey.kinds),
        "hunks": survey.hunks,
        "difficulty": {
            "level": survey.difficulty.level,
            "points": survey.difficulty.points,
            "reasons": [{"points": points, "why": why} for points, why in survey.difficulty.reasons],
        },
    }
