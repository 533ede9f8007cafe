"""Practice: work of a drill. It is shown wherever work is, and never counted."""

from __future__ import annotations

_VARIANT = "drill-"
_PLACE = "drill."  # no exercise's id has a dot


def practice_variant(code: str) -> str:
    """The variant of an exercise that is practised; `code` tells it from others. That it is practice is in
    its commits by that, wherever they are handed in."""
    return f"{_VARIANT}{code}"


def is_practice(variant: str) -> bool:
    """Whether work of this variant is practice."""
    return variant.startswith(_VARIANT)


def practice_id(exercise: str) -> str:
    """The id under which a host gives an exercise to practise: the course may have that exercise as well."""
    return f"{_PLACE}{exercise}"


def practised_exercise(id_: str) -> str:
    """The exercise that a host gives to practise under such an id."""
    return id_.removeprefix(_PLACE)


def is_practice_id(exercise: str) -> bool:
    """Whether a host gives this to practise."""
    return exercise.startswith(_PLACE)
