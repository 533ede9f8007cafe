"""The catalogue as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, TypedDict

from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.show.json.exercise import SummaryOut, summary_out
from muddled_orchard.show.json.text import json_text


class CatalogueFile(TypedDict):
    """What `muddled catalogue --json` prints."""

    format: Literal[1]
    scenarios: list[SummaryOut]


def catalogue_file(summaries: Sequence[ExerciseSummary]) -> str:
    """The catalogue: `{"scenarios": [...]}`."""
    data: CatalogueFile = {"format": 1, "scenarios": [summary_out(one) for one in summaries]}
    return json_text(data)
