"""A rehearsal as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.grading.rehearsal import Acted, Rehearsal
from muddled_orchard.show.json.shapes import State, Verdict, about
from muddled_orchard.show.json.writing import json_text, shaped


class BehaviourOut(Struct, rename={"said": "does"}):
    """One acted learner."""

    behaviour: str
    said: str
    variant: str
    state: State
    percent: float
    criteria: dict[str, Verdict]
    surprises: list[str]
    repository: Annotated[str | None, about("Where it was left for a look.")]


class BlindOut(Struct):
    """What can't tell right from wrong."""

    criteria: list[str]
    conflicts: list[str]


class RehearsalOut(Struct):
    """A scenario, rehearsed."""

    exercise: str
    title: str
    variant: str
    variants: list[str]
    surprises: int
    cannot_tell: BlindOut
    behaviours: list[BehaviourOut]


class RehearsalFile(Struct):
    """What `muddled rehearse --json` prints."""

    format: Literal[1]
    rehearsals: list[RehearsalOut]


def rehearsal_file(rehearsals: Sequence[Rehearsal]) -> str:
    """All rehearsals: `{"format": 1, "rehearsals": [...]}`."""
    done = [_rehearsal(rehearsal) for rehearsal in rehearsals]
    return json_text(shaped(RehearsalFile, format=1, rehearsals=done))


def _rehearsal(rehearsal: Rehearsal) -> RehearsalOut:
    return shaped(
        RehearsalOut,
        rehearsal,
        variant=rehearsal.variants[0],
        surprises=len(rehearsal.surprising),
        cannot_tell=BlindOut(list(rehearsal.blind), list(rehearsal.undistinguished)),
        behaviours=[_acted(act) for act in rehearsal.acted],
    )


def _acted(acted: Acted) -> BehaviourOut:
    verdicts = {criterion.id: criterion.verdict for criterion in acted.assessment.criteria}
    return shaped(BehaviourOut, acted, acted.assessment, criteria=verdicts)
