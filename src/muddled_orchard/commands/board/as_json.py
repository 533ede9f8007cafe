"""The board as JSON."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.course.board import Board, Stage
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import json_text, shaped


class BoardRowOut(Struct, rename={"of": "exercises"}):
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
    team: Annotated[list[str], about("All who share what is at hand, where several do.")]
    practice: Annotated[bool, about("Whether what is at hand is practice, which counts for nothing.")]
    of: Annotated[int, about("How many there are for this learner.")]


class CommonOut(Struct):
    """What most get wrong at the moment."""

    what: str
    learners: list[str]


class BoardFile(Struct):
    """What `muddled board --json` prints."""

    format: Literal[1]
    common: CommonOut | None
    learners: Annotated[list[BoardRowOut], about("Who needs help first.")]


def board_file(shown: Board) -> str:
    """The board at a moment."""
    learners = [shaped(BoardRowOut, row, row.seen) for row in shown.rows]
    return json_text(shaped(BoardFile, shown, format=1, learners=learners))
