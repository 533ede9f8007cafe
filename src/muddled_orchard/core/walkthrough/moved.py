"""Where lines have gone that a side took out of a conflict."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from msgspec import Struct

from muddled_orchard.core.git.lines import is_binary, lines_of
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict

_LEAST = 8  # letters: shorter lines stand anywhere
_MOST = 3


class MovedLine(Struct, frozen=True):
    """A line that a side (`ours` or `theirs`) has elsewhere now: in which file, and in which line of it."""

    side: str
    text: str
    path: str
    line: int


def moved_lines(key: Key, step: Step, conflict: Conflict) -> tuple[MovedLine, ...]:
    """Lines of the base that a side no longer has in the conflict (or whose whole file it has no longer), and
    has elsewhere where the base had none."""
    base = conflict.stages.get(1)
    if base is None:
        return ()
    old = _places({conflict.path: base}, key.texts)
    found: dict[tuple[str, str], MovedLine] = {}
    for side, commit in (("ours", step.ours), ("theirs", step.theirs)):
        taken_out = [line for line in _taken_out(key, conflict, side) if len(line) >= _LEAST]
        new = _places(key.commits[commit].tree, key.texts) if taken_out else {}
        for text in taken_out:
            places = new.get(text, [])
            if places and len(places) >= len(old.get(text, [])):
                found.setdefault((side, text), MovedLine(side, text, *places[-1]))
    return tuple(found.values())[:_MOST]


def _taken_out(key: Key, conflict: Conflict, side: str) -> Iterator[str]:
    """The lines of the base that a side has taken out, without white space around them."""
    if conflict.merged is None:
        if STAGE[side] not in conflict.stages:
            yield from (text for _, text, _ in _lines({conflict.path: conflict.stages[1]}, key.texts))
        return
    for hunk in conflict.merged.hunks:
        kept = {line.strip() for line in (hunk.ours if side == "ours" else hunk.theirs)}
        yield from (line.strip() for line in hunk.base if line.strip() not in kept)


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
