"""Where lines have gone that a side took out of a conflict."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from muddled_orchard.core.git.lines import is_binary, lines_of
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import Conflict

_LEAST = 8  # letters: shorter lines stand anywhere
_MOST = 3


@dataclass(frozen=True, slots=True)
class MovedLine:
    """A line that a side (`ours` or `theirs`) has elsewhere now: in which file, and in which line of it."""

    side: str
    text: str
    path: str
    line: int


def moved_lines(key: Key, step: Step, conflict: Conflict) -> tuple[MovedLine, ...]:
    """Lines of the base that a side no longer has in the conflict, and has elsewhere where the base had
    none."""
    found: dict[tuple[str, str], MovedLine] = {}
    base = conflict.stages.get(1)
    if conflict.merged is None or base is None:
        return ()
    old = _places({conflict.path: base}, key.texts)
    for side, commit in (("ours", step.ours), ("theirs", step.theirs)):
        new: dict[str, list[tuple[str, int]]] | None = None
        for hunk in conflict.merged.hunks:
            kept = {line.strip() for line in (hunk.ours if side == "ours" else hunk.theirs)}
            for line in hunk.base:
                text = line.strip()
                if len(text) < _LEAST or text in kept:
                    continue
                new = new if new is not None else _places(key.commits[commit].tree, key.texts)
                places = new.get(text, [])
                if len(places) >= len(old.get(text, [])) and places:
                    found.setdefault((side, text), MovedLine(side, text, *places[-1]))
    return tuple(found.values())[:_MOST]


def _places(tree: Tree, texts: Mapping[str, bytes]) -> dict[str, list[tuple[str, int]]]:
    places: dict[str, list[tuple[str, int]]] = {}
    for path, text, line in _lines(tree, texts):
        places.setdefault(text, []).append((path, line))
    return places


def _lines(tree: Tree, texts: Mapping[str, bytes]) -> Iterator[tuple[str, str, int]]:
    for path, blob in tree.items():
        data = texts.get(blob.id, b"")
        if not is_binary(data):
            for number, line in enumerate(lines_of(data), start=1):
                yield path, line.strip(), number
