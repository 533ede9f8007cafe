"""What is proved of a key: its solution, carried out with real Git, earns everything."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.key.accepted import Accepted
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.solution import solved_conflict
from muddled_orchard.core.merging.conflict import Conflict


class Proof(Struct, frozen=True, kw_only=True):
    """What the key's own solution earns of what is possible, in points, and how many other accepted ways
    were tried. `faults` say what does not earn what it is worth; with none of them the key is proved."""

    earned: float
    possible: float
    ways: int = 0
    faults: tuple[Problem, ...] = ()


class OtherWay(Struct, frozen=True, kw_only=True):
    """Another accepted way to resolve one conflict of a step, all else by the key: other words in a `hunk`
    (from 1), or an alternative for the file (None)."""

    step: Step
    conflict: Conflict
    way: Accepted
    hunk: int | None = None

    @property
    def worths(self) -> tuple[float, ...]:
        """The shares of their points that the conflict's decisions are worth by it, in order."""
        return tuple(self.way.worth * choices[0].worth for choices in self.way.choices) or (self.way.worth,)

    def empties(self, key: Key) -> bool:
        """Whether nothing is left of a commit that is replayed, or of what is squashed into one."""
        here, path, ours = key.commits[self.step.ours].tree, self.conflict.path, self.conflict.stages.get(2)
        if solved_conflict(self.conflict, [self.way], key.texts) != (key.texts[ours.id] if ours else None):
            return False
        others = {*self.step.solved, *here} - {path}
        alike = all(here.get(other) == self.step.solved.get(other) for other in others)
        return (self.step.commit is not None or bool(self.step.operation.squash)) and alike

    def __str__(self) -> str:
        if self.hunk is not None:
            place = f"hunk {self.hunk} of " if len(self.way.choices) > 1 else ""
            return f'"{self.way.words[self.hunk - 1]}" in {place}{self.conflict.path}'
        return (
            f'"{", ".join(self.way.words) or ("gone" if self.way.gone else "text")}" in {self.conflict.path}'
        )


def other_ways(key: Key) -> Iterator[OtherWay]:
    """Every accepted way beside the key's own solution, one at a time: each alternative for a file, and each
    further choice in a hunk."""
    for step in key.steps:
        for conflict in step.merge.conflicts:
            for place, way in enumerate(step.accepted.get(conflict.path, ())):
                if place:
                    yield OtherWay(step=step, conflict=conflict, way=way)
                for hunk, choices in enumerate(way.choices):
                    for choice in choices[1:]:
                        own = (*way.choices[:hunk], (choice,), *way.choices[hunk + 1 :])
                        other = replace(way, choices=own)
                        yield OtherWay(step=step, conflict=conflict, way=other, hunk=hunk + 1)
