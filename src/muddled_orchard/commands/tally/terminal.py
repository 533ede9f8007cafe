"""A class in the terminal: each exercise, each conflict with bars, what was missed, how hard it was."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from statistics import median

from muddled_orchard.core.base.phrases import counted, repeats_id
from muddled_orchard.core.course.item_figures import (
    Item,
    ItemStatistics,
    discrimination_told,
    reliability_told,
    signed,
)
from muddled_orchard.core.course.likeness import Pair
from muddled_orchard.core.course.tally import (
    ConflictTally,
    ExerciseTally,
    Outcome,
    Tally,
    said_of,
    swapped_told,
)
from muddled_orchard.core.grading.settling import CONFLICTS
from muddled_orchard.show.terminal.characters import printable, shortened, speaks_unicode
from muddled_orchard.show.terminal.plain import Cell, Plain, show_item

_BAR = 24
_STYLES: Mapping[Outcome, str] = {"accepted": "good", "partly": "doubt"}
_MOST_PAIRS = 10


def show_tally(
    on: Plain, counted_class: Tally, statistics: ItemStatistics | None, pairs: Sequence[Pair]
) -> None:
    """All of it."""
    on.line(printable(counted_class.title, on), "strong")
    present, absent = len(counted_class.totals), len(counted_class.absent)
    words = [f"{counted(present, 'learner')} tried something"]
    words += [f"{absent} nothing yet"] if absent else []
    if counted_class.totals:
        words.append(f"median of the totals {median(counted_class.totals.values()):.0f} %")
    on.line(", ".join(words) + ".")
    items = {(item.exercise, item.name): item for item in statistics.items} if statistics else {}
    for exercise in counted_class.exercises:
        _exercise(on, exercise, items)
    on.line()
    if statistics is not None:
        on.line(f"r: {discrimination_told()}", "faint")
        on.line(reliability_told(statistics.reliability), "faint")
    if pairs:
        on.line()
        heading = "Alike more than the class makes likely: a reason to look, and no verdict"
        on.line(heading, "strong")
        for pair in pairs[:_MOST_PAIRS]:
            show_item(on, "?", pair.told(counted_class.names), "doubt")
        if len(pairs) > _MOST_PAIRS:
            on.line(f"  ... and {counted(len(pairs) - _MOST_PAIRS, 'more pair')}", "faint")


def _exercise(on: Plain, exercise: ExerciseTally, items: Mapping[tuple[str, str], Item]) -> None:
    on.line()
    title = printable(exercise.title, on)
    alike = repeats_id(title, exercise.id)
    on.styled((exercise.id, "strong"), ("" if alike else f"  {title}", ""))
    on.line(exercise.told, "faint")
    for conflict in exercise.conflicts:
        _conflict(on, conflict, items.get((exercise.id, conflict.name)))
    rows = [
        criterion
        for criterion in exercise.criteria
        if criterion.id != CONFLICTS and set(criterion.learners) != {"met"}
    ]
    if rows:
        on.line()
        _criteria(on, exercise, items)


def _conflict(on: Plain, conflict: ConflictTally, item: Item | None) -> None:
    name = printable(conflict.name, on)
    figures = _figures(conflict.count, item) if conflict.count else "nobody came to it"
    if len(name) + len(figures) + 4 <= on.width:
        on.styled((f"  {name}", "strong"), (f"  {figures}", "faint"))
    else:
        on.line(f"  {shortened(name, on.width - 4)}", "strong")
        on.line(f"    {figures}", "faint")
    if conflict.count == 0:
        return
    for outcome, learners in conflict.learners.items():
        bar = f"    {_bar(on, len(learners) / conflict.count):<{_BAR}}"
        common = outcome == conflict.common_wrong
        said = ("the common mistake: " if common else "") + printable(said_of(conflict, outcome), on)
        figures = f"{len(learners):>6} "
        on.cut((bar, _STYLES.get(outcome, "bad")), (figures, ""), (said, ""))
    if conflict.swapped:
        on.line(f"    {swapped_told(conflict)}", "doubt")


def _criteria(on: Plain, exercise: ExerciseTally, items: Mapping[tuple[str, str], Item]) -> None:
    rows: list[Sequence[Cell]] = []
    for criterion in exercise.criteria:
        if criterion.id == CONFLICTS:
            continue
        counts = {word: len(learners) for word, learners in criterion.learners.items()}
        item = items.get((exercise.id, criterion.id))
        rows.append(
            (
                criterion.id,
                *(str(counts.get(word, "")) for word in ("met", "partly", "missed")),
                f"{100 * counts.get('met', 0) / criterion.count:.0f} %",
                "" if item is None or item.discrimination is None else signed(item.discrimination),
            )
        )
    headings = ("criterion", "met", "partly", "missed", "got it", "r")
    on.beside(2).table(headings, rows, whole=range(6), right=range(1, 6))


def _figures(count: int, item: Item | None) -> str:
    if item is None:
        return counted(count, "learner")
    words = [counted(item.learners, "learner"), f"{100 * item.difficulty:.0f} % got it"]
    words += [f"r {signed(item.discrimination)}"] if item.discrimination is not None else []
    return ", ".join(words)


def _bar(on: Plain, share: float) -> str:
    """A bar as long as the share (0 to 1); whatever there is shows."""
    eighths = max(1, round(share * _BAR * 8))
    if not speaks_unicode(on):
        return "#" * max(1, round(eighths / 8))
    return "█" * (eighths // 8) + ("", "▏", "▎", "▍", "▌", "▋", "▊", "▉")[eighths % 8]
