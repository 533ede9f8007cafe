"""Item statistics as data, and what they mean in words."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.phrases import counted

FEWEST = 10
"""With fewer learners a correlation is chance: none is told."""

ItemKind = Literal["conflict", "criterion"]


class Item(Struct, frozen=True, kw_only=True):
    """An item: its exercise, what it is (a conflict's name or a criterion), how many learners it is about,
    the share (0 to 1) of them that got it, and the point-biserial correlation (-1 to 1) of that with the
    share of all other items that they got; None where it can't be told."""

    exercise: str
    name: str
    kind: ItemKind
    learners: int
    difficulty: float
    discrimination: float | None


class Reliability(Struct, frozen=True, kw_only=True):
    """Cronbach's alpha of the exercises' percentages, over the learners who tried all of them."""

    alpha: float
    exercises: int
    learners: int


class ItemStatistics(Struct, frozen=True, kw_only=True):
    """The items in order, and the reliability of the whole course, where it can be told."""

    items: tuple[Item, ...]
    reliability: Reliability | None


def signed(value: float) -> str:
    """A correlation to two places: `+0.30`."""
    return f"{round(value, 2) + 0.0:+.2f}"


def discrimination_told() -> str:
    """What the discrimination of an item is."""
    return (
        "whether who got it also got the rest (point-biserial, -1 to +1). From +0.3 it tells the two apart; "
        "near 0 or below, the item may be unclear. "
        f"There is none from fewer than {FEWEST} learners, or where all did alike."
    )


def reliability_told(reliability: Reliability | None) -> str:
    """What a reliability says, or why there is none."""
    if reliability is None:
        return f"No reliability: it takes two exercises, and {FEWEST} learners who tried all of them."
    if reliability.alpha >= 0.8:
        means = "the total ranks learners well"
    elif reliability.alpha >= 0.6:
        means = "the total tells strong from weak, no more"
    else:
        means = "the exercises ask for different things, or are too few to rank anybody by the total"
    about = f"{counted(reliability.exercises, 'exercise')}, {counted(reliability.learners, 'learner')}"
    return f"Reliability (Cronbach's alpha) {reliability.alpha:.2f} from {about}: {means}."
