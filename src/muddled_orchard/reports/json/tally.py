"""A class counted, as JSON."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.course.item_figures import Item, ItemStatistics
from muddled_orchard.core.course.likeness import Pair
from muddled_orchard.core.course.tally import ConflictTally, CriterionTally, ExerciseTally, Tally
from muddled_orchard.reports.json.outputs import (
    ConflictTallyOut,
    CriterionTallyOut,
    ExerciseTallyOut,
    ItemOut,
    TallyFile,
)


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
