"""The board as JSON."""

from __future__ import annotations

from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.course.board import Board, Stage
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.text import json_text


class BoardRowOut(TypedDict):
    """A learner, and the exercise at hand."""

    learner: str
    name: str
    exercise: str
    stage: Stage
    detail: str
    since: Annotated[float | None, about("In seconds since 1970; null where that is not known.")]
    points: float
    possible: float
    pushes: int
    repeated: Annotated[int, about("How many of the newest pushes in a row had the same fault.")]
    hand: Annotated[float | None, about("Since when a hand is raised, in seconds since 1970, or null.")]
    done: Annotated[int, about("How many exercises are done.")]
    exercises: Annotated[int, about("How many there are for this learner.")]


class CommonOut(TypedDict):
    """What most get wrong at the moment."""

    what: str
    learners: list[str]


class BoardFile(TypedDict):
    """What `muddled board --json` prints."""

    format: Literal[1]
    common: CommonOut | None
    learners: Annotated[list[BoardRowOut], about("Who needs help first.")]


def board_file(shown: Board) -> str:
    """The board at a moment."""
    common = shown.common
    data: BoardFile = {
        "format": 1,
        "common": {"what": common.what, "learners": list(common.learners)} if common else None,
        "learners": [
            {
                "learner": row.learner,
                "name": row.name,
                "exercise": row.seen.exercise,
                "stage": row.seen.stage,
                "detail": row.seen.detail,
                "since": row.seen.since,
                "points": row.seen.points,
                "possible": row.seen.possible,
                "pushes": row.seen.pushes,
                "repeated": row.seen.repeated,
                "hand": row.hand,
                "done": row.done,
                "exercises": row.of,
            }
            for row in shown.rows
        ],
    }
    return json_text(data)
