"""What was planted or handed out, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.course.gathering import Pushed, without_secret
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.reports.json.shapes import about
from muddled_orchard.reports.json.text import json_text


class PlantFile(TypedDict):
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


class PushedEntry(TypedDict):
    """A repository that was to be pushed: `there` is one that the server has, which is left as it is."""

    learner: str
    exercise: str
    url: str
    state: Literal["pushed", "there", "failed"]
    reason: str | None


class HandOutFile(TypedDict):
    """What `muddled handout --json` prints."""

    format: Literal[1]
    ledger: str
    learners: int
    ready: Annotated[int, about("How many were there before.")]
    hand_outs: Annotated[list[HandOut], about("Those that were made now.")]
    pushed: Annotated[list[PushedEntry], about("What came of each that was to be pushed to a server.")]


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
    data: PlantFile = {
        "format": 1,
        "folder": folder,
        "exercise": scenario.id,
        "title": scenario.title,
        "variant": variant,
        "branches": {name: ids[number] for name, number in history.tips.items()},
        "checked_out": history.checked_out,
        "tasks": [in_words(task) for task in scenario.task],
        "grade": list(grade),
        "at": at,
    }
    return json_text(data)


def handout_file(
    ledger: str, learners: int, ready: int, made: Sequence[HandOut], pushed: Sequence[Pushed] = ()
) -> str:
    """A run of handing out: what was made, how much was there before, and what came of pushing."""
    data: HandOutFile = {
        "format": 1,
        "ledger": ledger,
        "learners": learners,
        "ready": ready,
        "hand_outs": list(made),
        "pushed": [
            {
                "learner": one.source.learner,
                "exercise": one.source.exercise,
                "url": without_secret(one.source.url),
                "state": one.state,
                "reason": one.reason or None,
            }
            for one in pushed
        ],
    }
    return json_text(data)
