"""The bundled scenarios in the terminal: a line each."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.show.exercise_words import LEVEL_STYLES, conflicts_in_words
from muddled_orchard.show.terminal.plain import Plain, Styled


def show_catalogue(on: Plain, summaries: Sequence[ExerciseSummary], total: int) -> None:
    """The bundled scenarios with their titles; `total` is how many there are in all. Where the terminal is
    narrow, what conflicts is left out, and long titles are cut: each has one line."""
    rows: Sequence[Sequence[Styled]] = [_HEAD, *(_row(summary) for summary in summaries)]
    plain = [[*row[:_CONFLICTS], *row[_CONFLICTS + 1 :]] for row in rows]
    spare = on.width - _width(plain) - len("  ")
    rows = _cut(rows, _CONFLICTS, spare) if spare >= _FEWEST else plain
    longest = max(len(row[_TITLE][0]) for row in rows)
    cut = _cut(rows, _TITLE, max(_FEWEST, longest - max(0, _width(rows) - on.width)))
    on.columns(cut, whole=range(len(cut[0])))
    on.line()
    shown = f"{len(summaries)} of {total} scenarios." if len(summaries) < total else f"{total} scenarios."
    on.line(f"{shown} To look into one: muddled survey ID")


_HEAD: Sequence[Styled] = [
    (name, "faint") for name in ("id", "title", "operation", "conflicts", "difficulty")
]
_TITLE, _CONFLICTS = 1, 3
_FEWEST = 14
"""How many letters are shown of a title, however narrow it is, and of conflicts, if they are."""


def _cut(rows: Sequence[Sequence[Styled]], place: int, most: int) -> Sequence[Sequence[Styled]]:
    return [[*row[:place], (brief(row[place][0], most), row[place][1]), *row[place + 1 :]] for row in rows]


def _row(summary: ExerciseSummary) -> Sequence[Styled]:
    level = summary.difficulty.level
    return [
        (summary.id, "strong"),
        (summary.title, ""),
        (", ".join(summary.operations), ""),
        (conflicts_in_words(summary), ""),
        (f"{level} ({summary.difficulty.points})", LEVEL_STYLES[level]),
    ]


def _width(rows: Sequence[Sequence[Styled]]) -> int:
    """How many columns a table takes."""
    return sum(max(len(text) for text, _ in column) + 2 for column in zip(*rows, strict=True)) - 2
