"""The part of a scenario's data that has the right shape: what is wrong beyond shapes is told as well."""

from __future__ import annotations

import copy
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from msgspec import Struct

from muddled_orchard.core.base.problems import KeyPath, Problem

# What a name stands for whose own table is wrong: whatever uses it is right.
_STAND_INS: Mapping[str, Any] = {"values": {"choose": ["1"]}, "cast": "Maren Quill <maren@orchard.example>"}


class SoundPart(Struct, frozen=True):
    """Data without its misshapen parts, and how to read what is wrong with the rest.

    `data` is sound as far as the problems went. `places` are the former places of the list elements that
    are left, by list; `whole` says whether the story is all there.
    """

    data: dict[str, Any]
    places: Mapping[str, Sequence[int]]
    whole: bool

    def told(self, problems: Iterable[Problem]) -> list[Problem]:
        """The problems of the rest with their places in the file, without those that may only follow from
        what was left out."""
        found = []
        for problem in problems:
            name = problem.key[0] if problem.key else ""
            if problem.key in {(shortened,) for shortened in self.places}:
                continue  # it is not all gone in the file
            if "task" in self.places and problem.key[-1:] == ("task",):
                continue
            if self.whole or name in ("story", "id", "language", "minutes", "cast", "points"):
                found.append(problem.moved(self._former(problem.key)))
        return found

    def _former(self, key: KeyPath) -> KeyPath:
        if len(key) > 1 and isinstance(key[1], int) and key[0] in self.places:
            return (key[0], self.places[str(key[0])][key[1]], *key[2:])
        return key


def sound_part(data: Mapping[str, Any], misshapen: Iterable[KeyPath]) -> SoundPart:
    """Leave out what does not have its shape: keys of the head, entries of lists; and of the story all that
    comes after, since it builds on it."""
    left = copy.deepcopy(dict(data))
    wrong: dict[str, set[int]] = {}
    for key in misshapen:
        name = str(key[0]) if key else ""
        table = left.get(name)
        if isinstance(table, list) and len(key) > 1 and isinstance(key[1], int):
            wrong.setdefault(name, set()).add(key[1])
        elif isinstance(table, dict) and len(key) > 1 and name in _STAND_INS:
            table[str(key[1])] = _STAND_INS[name]
        else:
            left.pop(name, None)
    places = {}
    for name, gone in wrong.items():
        stop = min(gone) if name == "story" else len(left[name])
        places[name] = [number for number in range(stop) if number not in gone]
        left[name] = [left[name][number] for number in places[name]]
    whole = "story" not in wrong and bool(left.get("story"))
    return SoundPart(left, places, whole)
