"""A rehearsal as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.grading.rehearsal import Acted, Rehearsal
from muddled_orchard.show.json.shapes import State, Verdict, about
from muddled_orchard.show.json.text import json_text


class BehaviourOut(TypedDict):
    """One acted learner."""

    behaviour: str
    does: str
    variant: str
    state: State
    percent: float
    criteria: dict[str, Verdict]
    surprises: list[str]
    repository: Annotated[str | None, about("Where it was left for a look.")]


class BlindOut(TypedDict):
    """What can't tell right from wrong."""

    criteria: list[str]
    conflicts: list[str]


class RehearsalOut(TypedDict):
    """A scenario, rehearsed."""

    exercise: str
    title: str
    variant: str
    variants: list[str]
    surprises: int
    cannot_tell: BlindOut
    behaviours: list[BehaviourOut]


class RehearsalFile(TypedDict):
    """What `muddled rehearse --json` prints."""

    format: Literal[1]
    rehearsals: list[RehearsalOut]


def rehearsal_file(rehearsals: Sequence[Rehearsal]) -> str:
    """All rehearsals: `{"format": 1, "rehearsals": [...]}`."""
    data: RehearsalFile = {"format": 1, "rehearsals": [_rehearsal(rehearsal) for rehearsal in rehearsals]}
    return json_text(data)


def _rehearsal(rehearsal: Rehearsal) -> RehearsalOut:
    return {
        "exercise": rehearsal.exercise,
        "title": rehearsal.title,
        "variant": rehearsal.variants[0],
        "variants": list(rehearsal.variants),
        "surprises": len(rehearsal.surprising),
        "cannot_tell": {"criteria": list(rehearsal.blind), "conflicts": list(rehearsal.undistinguished)},
        "behaviours": [_acted(act) for act in rehearsal.acted],
    }


def _acted(acted: Acted) -> BehaviourOut:
    assessment = acted.assessment
    return {
        "behaviour": acted.behaviour,
        "does": acted.said,
        "variant": acted.variant,
        "state": assessment.state,
        "percent": assessment.percent,
        "criteria": {criterion.id: criterion.outcome.verdict for criterion in assessment.criteria},
        "surprises": list(acted.surprises),
        "repository": acted.repository,
    }
