"""A class counted as CSV: a row for each conflict and each criterion."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.course.item_figures import Item, ItemStatistics
from muddled_orchard.core.course.tally import OUTCOMES, Tally

_COLUMNS = ("exercise", "kind", "item", "learners", "difficulty", "discrimination", "swapped")


def tally_rows(counted: Tally, statistics: ItemStatistics | None) -> Iterator[Sequence[object]]:
    """The rows. Of a conflict the columns that begin with `kept` say how many kept what; of a criterion it is
    `met`, `partly` and `missed`."""
    items = {(item.exercise, item.name): item for item in statistics.items} if statistics else {}
    kept = [word if word in ("accepted", "partly") else f"kept {word}" for word in OUTCOMES]
    yield (*_COLUMNS, *kept, "met", "missed")
    for exercise in counted.exercises:
        for conflict in exercise.conflicts:
            yield (
                exercise.id,
                "conflict",
                conflict.name,
                conflict.count,
                *_figures(items.get((exercise.id, conflict.name))),
                "" if conflict.swapped is None else len(conflict.swapped),
                *(len(conflict.learners.get(word, ())) for word in OUTCOMES),
                "",
                "",
            )
        for criterion in exercise.criteria:
            counts: dict[str, int] = {word: len(several) for word, several in criterion.learners.items()}
            none = [""] * (len(OUTCOMES) - 2)
            yield (
                exercise.id,
                "criterion",
                criterion.id,
                criterion.count,
                *_figures(items.get((exercise.id, criterion.id))),
                "",
                "",
                counts.get("partly", 0),
                *none,
                counts.get("met", 0),
                counts.get("missed", 0),
            )


def _figures(item: Item | None) -> tuple[object, object]:
    if item is None:
        return "", ""
    r = item.discrimination
    return round(item.difficulty, 4), "" if r is None else round(r, 4)
