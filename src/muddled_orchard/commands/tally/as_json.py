"""A class counted, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.course.item_figures import Item, ItemStatistics
from muddled_orchard.core.course.likeness import Pair
from muddled_orchard.core.course.tally import ConflictTally, CriterionTally, ExerciseTally, Tally
from muddled_orchard.show.json.shapes import Line, about


class ItemOut(TypedDict):
    """Item statistics of a conflict or a criterion."""

    learners: int
    difficulty: Annotated[float, about("The share that got it, 0 to 1.")]
    discrimination: Annotated[float | None, about("Point-biserial with all other items; null: too few.")]


class ConflictTallyOut(TypedDict):
    """A conflict over a class."""

    conflict: str
    task: Line
    file: Annotated[str, about("As the scenario calls it, with values' names in it.")]
    hunk: Line | None
    learners: Annotated[dict[str, list[str]], about("Who made what of it, by what was kept.")]
    common_wrong: str | None
    swapped: Annotated[list[str] | None, about("In a rebase: who took exactly the other side.")]
    statistics: ItemOut | None


class CriterionTallyOut(TypedDict):
    """A criterion over a class."""

    criterion: str
    learners: Annotated[dict[str, list[str]], about("Who met it, partly or not.")]
    statistics: ItemOut | None


class ExerciseTallyOut(TypedDict):
    """An exercise over a class."""

    exercise: str
    title: str
    handed_out: int
    percents: Annotated[dict[str, float], about("What counts, by learner.")]
    missing: list[str]
    got_it: list[str]
    attempts_until_solved: dict[str, int]
    minutes: Annotated[dict[str, float], about("From the first own commit to the last, by learner.")]
    conflicts: list[ConflictTallyOut]
    criteria: list[CriterionTallyOut]


class ReliabilityOut(TypedDict):
    """Cronbach's alpha of the exercises."""

    alpha: float
    exercises: int
    learners: int


class AlikeOut(TypedDict):
    """Two learners whose work agrees more than the class makes likely."""

    learners: list[str]
    shared: list[str]
    bits: float


class TallyFile(TypedDict):
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
    found = statistics.reliability if statistics else None
    return {
        "format": 1,
        "title": counted.title,
        "totals": dict(counted.totals),
        "absent": list(counted.absent),
        "exercises": [_exercise(one, items) for one in counted.exercises],
        "reliability": None
        if found is None
        else {"alpha": round(found.alpha, 4), "exercises": found.exercises, "learners": found.learners},
        "alike": [
            {"learners": [pair.one, pair.other], "shared": pair.things, "bits": pair.bits} for pair in pairs
        ],
    }


def _exercise(exercise: ExerciseTally, items: dict[tuple[str, str], Item]) -> ExerciseTallyOut:
    return {
        "exercise": exercise.id,
        "title": exercise.title,
        "handed_out": exercise.handed_out,
        "percents": dict(exercise.percents),
        "missing": list(exercise.missing),
        "got_it": list(exercise.got_it),
        "attempts_until_solved": dict(exercise.solved),
        "minutes": {learner: round(minutes, 1) for learner, minutes in exercise.minutes.items()},
        "conflicts": [_conflict(one, items.get((exercise.id, one.name))) for one in exercise.conflicts],
        "criteria": [_criterion(one, items.get((exercise.id, one.id))) for one in exercise.criteria],
    }


def _conflict(conflict: ConflictTally, item: Item | None) -> ConflictTallyOut:
    return {
        "conflict": conflict.name,
        "task": conflict.id.task,
        "file": conflict.id.file,
        "hunk": conflict.id.hunk or None,
        "learners": {word: list(learners) for word, learners in conflict.learners.items()},
        "common_wrong": conflict.common_wrong,
        "swapped": None if conflict.swapped is None else list(conflict.swapped),
        "statistics": _item(item),
    }


def _criterion(criterion: CriterionTally, item: Item | None) -> CriterionTallyOut:
    return {
        "criterion": criterion.id,
        "learners": {word: list(learners) for word, learners in criterion.learners.items()},
        "statistics": _item(item),
    }


def _item(item: Item | None) -> ItemOut | None:
    if item is None:
        return None
    return {
        "learners": item.learners,
        "difficulty": round(item.difficulty, 4),
        "discrimination": None if item.discrimination is None else round(item.discrimination, 4),
    }
