"""A class counted, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.course.item_figures import Item, ItemStatistics
from muddled_orchard.core.course.likeness import Pair
from muddled_orchard.core.course.tally import ConflictTally, ExerciseTally, Tally
from muddled_orchard.show.json.shapes import Line, about
from muddled_orchard.show.json.writing import shaped


class ItemOut(Struct):
    """Item statistics of a conflict or a criterion."""

    learners: int
    difficulty: Annotated[float, about("The share that got it, 0 to 1.")]
    discrimination: Annotated[float | None, about("Point-biserial with all other items; null: too few.")]


class ConflictTallyOut(Struct, rename={"name": "conflict"}):
    """A conflict over a class."""

    name: str
    task: Line
    file: Annotated[str, about("As the scenario calls it, with values' names in it.")]
    hunk: Line | None
    learners: Annotated[dict[str, list[str]], about("Who made what of it, by what was kept.")]
    common_wrong: str | None
    swapped: Annotated[list[str] | None, about("In a rebase: who took exactly the other side.")]
    statistics: ItemOut | None


class CriterionTallyOut(Struct, rename={"id": "criterion"}):
    """A criterion over a class."""

    id: str
    learners: Annotated[dict[str, list[str]], about("Who met it, partly or not.")]
    statistics: ItemOut | None


class ExerciseTallyOut(Struct, rename={"id": "exercise", "solved": "attempts_until_solved"}):
    """An exercise over a class."""

    id: str
    title: str
    handed_out: int
    percents: Annotated[dict[str, float], about("What counts, by learner.")]
    missing: list[str]
    got_it: list[str]
    solved: dict[str, int]
    minutes: Annotated[dict[str, float], about("From the first own commit to the last, by learner.")]
    conflicts: list[ConflictTallyOut]
    criteria: list[CriterionTallyOut]


class ReliabilityOut(Struct):
    """Cronbach's alpha of the exercises."""

    alpha: float
    exercises: int
    learners: int


class AlikeOut(Struct):
    """Two learners whose work agrees more than the class makes likely."""

    learners: list[str]
    shared: list[str]
    bits: float


class TallyFile(Struct):
    """What `muddled tally --json` prints."""

    format: Literal[1]
    title: str
    totals: Annotated[dict[str, float], about("In percent, by learner.")]
    absent: list[str]
    exercises: list[ExerciseTallyOut]
    reliability: ReliabilityOut | None
    alike: list[AlikeOut]


def tally_json(counted: Tally, statistics: ItemStatistics | None, pairs: Sequence[Pair]) -> TallyFile:
    """Everything that `muddled tally` shows, with the ids of the learners behind each figure."""
    items = {(item.exercise, item.name): item for item in statistics.items} if statistics else {}
    reliability = statistics.reliability if statistics else None
    return shaped(
        TallyFile,
        counted,
        format=1,
        exercises=[_exercise(exercise, items) for exercise in counted.exercises],
        reliability=reliability and shaped(ReliabilityOut, reliability, alpha=round(reliability.alpha, 4)),
        alike=[AlikeOut([pair.one, pair.other], pair.things, pair.bits) for pair in pairs],
    )


def _exercise(exercise: ExerciseTally, items: dict[tuple[str, str], Item]) -> ExerciseTallyOut:
    return shaped(
        ExerciseTallyOut,
        exercise,
        minutes={learner: round(minutes, 1) for learner, minutes in exercise.minutes.items()},
        conflicts=[
            _conflict(conflict, items.get((exercise.id, conflict.name))) for conflict in exercise.conflicts
        ],
        criteria=[
            shaped(CriterionTallyOut, criterion, statistics=_item(items.get((exercise.id, criterion.id))))
            for criterion in exercise.criteria
        ],
    )


def _conflict(conflict: ConflictTally, item: Item | None) -> ConflictTallyOut:
    hunk = conflict.id.hunk or None
    return shaped(ConflictTallyOut, conflict, conflict.id, hunk=hunk, statistics=_item(item))


def _item(item: Item | None) -> ItemOut | None:
    if item is None:
        return None
    discrimination = None if item.discrimination is None else round(item.discrimination, 4)
    return ItemOut(item.learners, round(item.difficulty, 4), discrimination)
