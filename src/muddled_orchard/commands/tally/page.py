"""A class as a page that stands alone: a map of learners and conflicts, and what is behind each figure."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from html import escape
from statistics import median
from typing import Any

from markupsafe import Markup
from msgspec import Struct

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.course.item_figures import (
    Item,
    ItemStatistics,
    discrimination_told,
    reliability_told,
    signed,
)
from muddled_orchard.core.course.likeness import Pair
from muddled_orchard.core.course.tally import (
    LETTERS,
    OUTCOMES,
    ConflictTally,
    ExerciseTally,
    Outcome,
    Tally,
    said_of,
    swapped_told,
)
from muddled_orchard.core.grading.assessment import HunkResult
from muddled_orchard.core.grading.settling import CONFLICTS
from muddled_orchard.show.page import template
from muddled_orchard.show.terminal.characters import printable

_CLASSES: Mapping[Outcome, str] = {
    "accepted": "a",
    "partly": "p",
    "ours": "o",
    "theirs": "t",
    "both": "s",
    "base": "b",
    "neither": "n",
    "blend": "m",
    "gone": "g",
    "unresolved": "u",
}
"""The class of each outcome in the style; short, since each cell of the map has one."""

_NONE = "–"
_MOST_PAIRS = 100
_MOST_TEXT = 4_000


class _Column(Struct, frozen=True):
    """A conflict in the map: its number in the page, its name, and who made what of it."""

    number: int
    name: str
    outcomes: Mapping[str, Outcome]


class _Group(Struct, frozen=True):
    """The conflicts of an exercise in the map."""

    number: int
    id: str
    columns: tuple[_Column, ...]


def tally_page(counted_class: Tally, statistics: ItemStatistics | None, pairs: Sequence[Pair]) -> str:
    """The page."""
    items = {(item.exercise, item.name): item for item in statistics.items} if statistics else {}
    groups = list(_groups(counted_class))
    totals = counted_class.totals
    order = {column.number: place for place, column in enumerate(_columns(groups), start=2)}
    present = counted(len(totals), "learner")
    middle = f", with a median of {median(totals.values()):.0f} % in total" if totals else ""
    return template(
        "commands/tally/page.html"
    ).render(
        **{"class": counted_class},
        summary=f"{present} tried something{middle}. Counted from the attempt of each that counts.",
        absent=f"{counted(len(counted_class.absent), 'learner')} tried nothing yet",
        absent_names=_names(counted_class, counted_class.absent),
        legend=_legend(counted_class),
        groups=groups,
        rows=Markup("\n".join(_rows(counted_class, list(groups)))),  # noqa: S704 - each text in it is escaped
        bins=_bins(list(totals.values())),
        reliability=reliability_told(statistics.reliability) if statistics else "",
        exercises=[
            _exercise(counted_class, exercise, items, order, groups) for exercise in counted_class.exercises
        ],
        pairs=[printable(pair.told(counted_class.names)) for pair in pairs[:_MOST_PAIRS]],
        discrimination=discrimination_told(),
    )


def _groups(counted_class: Tally) -> Iterator[_Group]:
    number = 0
    for place, exercise in enumerate(counted_class.exercises, start=1):
        columns = []
        for conflict in sorted(exercise.conflicts, key=_ease):
            number += 1
            outcomes = {one: word for word, several in conflict.learners.items() for one in several}
            columns.append(_Column(number, conflict.name, outcomes))
        if columns:
            yield _Group(place, exercise.id, tuple(columns))


def _ease(conflict: ConflictTally) -> float:
    return -len(conflict.learners.get("accepted", ())) / max(1, conflict.count)


def _columns(groups: Iterable[_Group]) -> Iterator[_Column]:
    for group in groups:
        yield from group.columns


def _rows(counted_class: Tally, groups: Sequence[_Group]) -> Iterator[str]:
    """The rows of the map. End tags that HTML lets out are left out: a large class has many cells."""
    cells = {word: f"<td class={cls}>{LETTERS[word]}" for word, cls in _CLASSES.items()}
    firsts = {word: f'<td class="{cls} first">{LETTERS[word]}' for word, cls in _CLASSES.items()}
    for learner, total in sorted(counted_class.totals.items(), key=lambda one: (-one[1], one[0])):
        row = [f"<tr><th scope=row dir=auto>{escape(_name(counted_class, learner))}<td>{total:.0f} %"]
        for group in groups:
            for place, column in enumerate(group.columns):
                word = column.outcomes.get(learner)
                if word is None:
                    row.append(f"<td>{_NONE}" if place else f"<td class=first>{_NONE}")
                else:
                    row.append((cells if place else firsts)[word])
        yield "".join(row)


def _name(counted_class: Tally, learner: str) -> str:
    return printable(counted_class.names.get(learner, learner))


def _names(counted_class: Tally, learners: Iterable[str]) -> str:
    return ", ".join(_name(counted_class, learner) for learner in learners)


def _legend(counted_class: Tally) -> list[dict[str, str]]:
    used = {word for _, conflict in counted_class.conflicts for word in conflict.learners}
    keys = [
        {"letter": LETTERS[word], "cls": cls, "said": OUTCOMES[word]}
        for word, cls in _CLASSES.items()
        if word in used
    ]
    return [*keys, {"letter": _NONE, "cls": "", "said": "not tried, or never come to"}]


def _bins(totals: Sequence[float]) -> list[dict[str, object]]:
    """Ten equal parts, the last one with 100 in it."""
    counts = [0] * 10
    for total in totals:
        counts[min(9, int(total // 10))] += 1
    most = max(counts, default=0) or 1
    return [
        {
            "said": f"{10 * place} to {10 * place + (10 if place == 9 else 9)}",
            "count": count,
            "width": round(75 * count / most, 1),
        }
        for place, count in enumerate(counts)
    ]


def _exercise(
    counted_class: Tally,
    exercise: ExerciseTally,
    items: Mapping[tuple[str, str], Item],
    order: Mapping[int, int],
    groups: Sequence[_Group],
) -> dict[str, Any]:
    numbers = {
        column.name: column.number for group in groups if group.id == exercise.id for column in group.columns
    }
    lacking = [criterion for criterion in exercise.criteria if criterion.id != CONFLICTS]
    return {
        "id": exercise.id,
        "title": exercise.title,
        "told": exercise.told,
        "conflicts": [
            {
                "number": numbers[conflict.name],
                "column": order[numbers[conflict.name]],
                "name": printable(conflict.name),
                "told": _figures(conflict, items.get((exercise.id, conflict.name))),
                "bars": list(_bars(counted_class, conflict)),
                "swapped": swapped_told(conflict),
                "sides": _sides(conflict.example) if conflict.example else [],
                "why": conflict.example.why if conflict.example else "",
            }
            for conflict in exercise.conflicts
        ],
        "criteria": [
            {
                "id": criterion.id,
                **{word: len(criterion.learners.get(word, ())) for word in ("met", "partly", "missed")},
                "share": f"{100 * len(criterion.learners.get('met', ())) / criterion.count:.0f} %",
                "r": _r(items.get((exercise.id, criterion.id))),
                "lacking": counted(criterion.count - len(criterion.learners.get("met", ())), "learner"),
                "names": _names(
                    counted_class,
                    (*criterion.learners.get("missed", ()), *criterion.learners.get("partly", ())),
                ),
            }
            for criterion in lacking
        ],
        "missing": _names(counted_class, exercise.missing),
        "missing_told": f"{counted(len(exercise.missing), 'learner')} did not try it",
    }


def _bars(counted_class: Tally, conflict: ConflictTally) -> Iterator[dict[str, object]]:
    for word, learners in conflict.learners.items():
        common = word == conflict.common_wrong
        yield {
            "letter": LETTERS[word],
            "cls": _CLASSES[word],
            "width": round(100 * len(learners) / conflict.count, 1),
            "count": len(learners),
            "said": ("the common mistake: " if common else "") + said_of(conflict, word),
            "names": _names(counted_class, learners),
        }


def _sides(hunk: HunkResult) -> list[dict[str, str | None]]:
    accepted = " or ".join(hunk.accepted)
    sides = [("base", hunk.base), (hunk.ours_name, hunk.ours), (hunk.theirs_name, hunk.theirs)]
    sides += [] if hunk.accepted == ("gone",) else [(f"accepted: {accepted}", hunk.wanted)]
    return [{"name": printable(name), "text": None if text is None else _shown(text)} for name, text in sides]


def _shown(text: str) -> str:
    lines = text[:_MOST_TEXT].splitlines()
    return "\n".join(printable(line) for line in lines)


def _figures(conflict: ConflictTally, item: Item | None) -> str:
    if not conflict.count:
        return "Nobody came to it."
    share = 100 * len(conflict.learners.get("accepted", ())) / conflict.count
    told = f"{counted(conflict.count, 'learner')} came to it, {share:.0f} % got it"
    return f"{told}, r {_r(item)}." if _r(item) else f"{told}."


def _r(item: Item | None) -> str:
    return "" if item is None or item.discrimination is None else signed(item.discrimination)
