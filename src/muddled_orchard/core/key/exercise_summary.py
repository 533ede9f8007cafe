"""What a list shows of an exercise, and what is known of it where its key is not at hand."""

from __future__ import annotations

from msgspec import Struct

LEVELS = ("none", "easy", "medium", "hard")


class Difficulty(Struct, frozen=True):
    """`points` is the sum of the reasons' points, each (points, why); `level` a word for it."""

    points: int
    level: str
    reasons: tuple[tuple[int, str], ...]


class ExerciseSummary(Struct, frozen=True, kw_only=True):
    """`operations` are those that its tasks ask for, `kinds` Git's words for the conflicts that occur, in
    order, `hunks` how many there are."""

    id: str
    title: str
    operations: tuple[str, ...]
    kinds: tuple[str, ...]
    hunks: int
    difficulty: Difficulty
