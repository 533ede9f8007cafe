"""What was planted, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import json_text


class PlantFile(Struct):
    """What `muddled plant --json` prints."""

    format: Literal[1]
    folder: str
    exercise: str
    title: str
    variant: str
    branches: Annotated[dict[str, str], about("Where each branch stands, by name.")]
    checked_out: str
    tasks: Annotated[list[str], about("What is asked, in words.")]
    grade: Annotated[list[str], about("The command that grades it, word by word.")]
    at: Annotated[
        str | None, about("The step of the walkthrough at which it stands; null: at its beginning.")
    ]


def plant_file(
    folder: str,
    scenario: Scenario,
    variant: str,
    history: History,
    ids: dict[int, str],
    grade: Sequence[str],
    at: str | None = None,
) -> str:
    """A practice folder; `ids` are the commits' by place, `grade` is the command that grades it, `at` the
    name of the step at which it stands."""
    return json_text(
        PlantFile(
            format=1,
            folder=folder,
            exercise=scenario.id,
            title=scenario.title,
            variant=variant,
            branches={name: ids[number] for name, number in history.tips.items()},
            checked_out=history.checked_out,
            tasks=[in_words(task) for task in scenario.task],
            grade=list(grade),
            at=at,
        )
    )
