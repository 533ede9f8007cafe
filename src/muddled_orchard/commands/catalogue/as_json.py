"""The catalogue as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.show.json.exercise import SummaryOut, difficulty_out
from muddled_orchard.show.json.writing import json_text, shaped


class CatalogueFile(Struct):
    """What `muddled catalogue --json` prints."""

    format: Literal[1]
    scenarios: list[SummaryOut]


def catalogue_file(summaries: Sequence[ExerciseSummary]) -> str:
    """The catalogue: `{"scenarios": [...]}`."""
    scenarios = [
        shaped(SummaryOut, summary, difficulty=difficulty_out(summary.difficulty)) for summary in summaries
    ]
    return json_text(CatalogueFile(format=1, scenarios=scenarios))
