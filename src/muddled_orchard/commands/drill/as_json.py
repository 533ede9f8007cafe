"""Where a learner stands in a drill, as JSON."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.commands.drill.practising import Drill
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import json_text, shaped


class SkillOut(Struct):
    """An operation or a kind of conflict."""

    skill: str
    tried: int
    in_a_row: Annotated[int, about("How often it was right in a row by now.")]
    sits: bool
    again: Annotated[datetime | None, about("From when on it is worth trying again; null: at once.")]


class AtHandOut(Struct):
    """The exercise at hand."""

    exercise: str
    variant: str
    folder: str
    skill: str
    failed: int


class DrillFile(Struct):
    """What `muddled drill --json` prints."""

    format: Literal[1]
    skills: list[SkillOut]
    at_hand: AtHandOut | None


def drill_file(drill: Drill) -> str:
    """Where somebody stands."""
    skills = [shaped(SkillOut, one) for one in drill.standings()]
    at_hand = shaped(AtHandOut, drill.at_hand) if drill.at_hand is not None else None
    return json_text(DrillFile(1, skills, at_hand))
