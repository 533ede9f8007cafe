"""Compute how hard each item of a class was, and whether it tells who is good at the rest.

An item is a conflict, or a criterion other than the one that conflicts make up; a learner has it (1) or not
(0). The measures are those of classical test theory. They are told only where there are enough learners.
"""

from __future__ import annotations

from collections.abc import Mapping

import pandas as pd

from muddled_orchard.core.course.item_figures import FEWEST, Item, ItemKind, ItemStatistics, Reliability
from muddled_orchard.core.course.tally import ConflictTally, CriterionTally, ExerciseTally, Tally
from muddled_orchard.core.grading.settling import CONFLICTS

_FEWEST_ITEMS = 2  # the rest of a test is at least as many others


def item_statistics(counted: Tally) -> ItemStatistics:
    """The statistics of a class."""
    columns = {
        (exercise.id, kind, name): scores
        for exercise in counted.exercises
        for (kind, name), scores in _items(exercise).items()
    }
    table = pd.DataFrame({column: pd.Series(scores, dtype=float) for column, scores in columns.items()})
    others = table.notna().sum(axis=1) - 1
    total = table.sum(axis=1)
    items = []
    for exercise, kind, name in columns:
        column = table[(exercise, kind, name)]
        rest = (total - column).where(others >= _FEWEST_ITEMS) / others.clip(lower=1)
        items.append(
            Item(
                exercise=exercise,
                name=name,
                kind=kind,
                learners=int(column.count()),
                difficulty=float(column.mean()),
                discrimination=_correlation(column, rest),
            )
        )
    return ItemStatistics(items=tuple(items), reliability=_reliability(counted))


def _items(exercise: ExerciseTally) -> Mapping[tuple[ItemKind, str], Mapping[str, int]]:
    """The items of an exercise by kind and name: who has each (1) and who has not (0)."""
    found: dict[tuple[ItemKind, str], Mapping[str, int]] = {}
    for conflict in exercise.conflicts:
        if conflict.count:
            found["conflict", conflict.name] = _scores(conflict, "accepted")
    for criterion in exercise.criteria:
        if criterion.id != CONFLICTS:
            found["criterion", criterion.id] = _scores(criterion, "met")
    return found


def _scores(counted: ConflictTally | CriterionTally, right: str) -> dict[str, int]:
    return {learner: int(word == right) for word, several in counted.learners.items() for learner in several}


def _correlation(item: pd.Series[float], rest: pd.Series[float]) -> float | None:
    """Pearson's correlation, which is the point-biserial one where one of the two has two values."""
    both = item.notna() & rest.notna()
    item, rest = item[both], rest[both]
    # All alike, to the last digits of a sum of fractions.
    if len(item) < FEWEST or item.nunique() < 2 or rest.max() - rest.min() < 1e-9:
        return None
    return float(item.corr(rest))


def _reliability(counted: Tally) -> Reliability | None:
    percents = {
        exercise.id: pd.Series(exercise.percents, dtype=float)
        for exercise in counted.exercises
        if exercise.percents
    }
    table = pd.DataFrame(percents).dropna()
    learners, exercises = table.shape
    if learners < FEWEST or exercises < 2:
        return None
    whole = float(table.sum(axis=1).var())
    if whole < 1e-9:
        return None
    alpha = exercises / (exercises - 1) * (1 - float(table.var().sum()) / whole)
    return Reliability(alpha=alpha, exercises=exercises, learners=learners)
