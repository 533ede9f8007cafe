"""How hard a scenario is, from what makes conflicts hard. The table is in docs/answers.md."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.git.commits import ancestors
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.exercise_summary import Difficulty
from muddled_orchard.core.merging.keep import KEEP

LONG_SIDE = 5
"""A side with more lines than this takes longer to read."""

COMMITS_A_POINT = 4
"""So many commits between two branches make them one point more distant."""

_LEVELS = ((0, "none"), (3, "easy"), (7, "medium"))


class Measures(Struct, frozen=True, kw_only=True):
    """What makes conflicts hard, counted: conflicted files, hunks, those with a long side, those where no
    side is right as it is, the kinds of conflicts without hunks, places outside the hunks that need a change,
    tasks in which the sides are swapped, operations to be given up, branches to be set back, steps with
    conflicts, commits between the branches, and conflicts that the learner is to make."""

    files: int
    hunks: int
    long: int
    both: int
    unseen: Sequence[str]
    outside: int
    swapped: int
    steps: int
    given_up: int = 0
    set_back: int = 0
    apart: int = 0
    own: int = 0


def difficulty(key: Key) -> Difficulty:
    """Add up what makes the tasks of a key hard."""
    return rated(_measures(key))


def rated(measures: Measures) -> Difficulty:
    """The difficulty of what was counted."""
    reasons = [(points, why) for points, why in _reasons(measures) if points]
    total = sum(points for points, _ in reasons)
    level = next((word for most, word in _LEVELS if total <= most), "hard")
    return Difficulty(total, level, tuple(sorted(reasons, key=lambda reason: -reason[0])))


def _measures(key: Key) -> Measures:
    conflicting = [step for step in key.steps if step.merge.conflicts]
    conflicts = [conflict for step in conflicting for conflict in step.merge.conflicts]
    hunks = [hunk for conflict in conflicts if conflict.merged for hunk in conflict.merged.hunks]
    return Measures(
        files=len({conflict.path for conflict in conflicts}),
        hunks=len(hunks),
        long=sum(max(len(hunk.ours), len(hunk.theirs)) > LONG_SIDE for hunk in hunks),
        both=sum(_needs_both(conflicting)),
        unseen=[conflict.kind for conflict in conflicts if conflict.merged is None],
        outside=sum(len(step.clean_merge_fixes) for step in key.steps) + sum(_edited_outside(conflicting)),
        swapped=len({step.task for step in key.steps if step.operation.replays_own}),
        steps=len(conflicting),
        given_up=sum(step.given_up is not None for step in key.steps),
        set_back=sum(step.operation.sets_back for step in key.steps),
        own=sum(task.conflicts for task in key.scenario.task if isinstance(task, OwnConflict)),
        apart=max((_distance(key, step) for step in conflicting), default=0),
    )


def _reasons(of: Measures) -> Iterator[tuple[int, str]]:
    yield of.files, counted(of.files, "conflicted file")
    yield of.hunks, counted(of.hunks, "hunk")
    yield of.long, f"{counted(of.long, 'hunk')} with a long side"
    yield 2 * of.both, f"{counted(of.both, 'hunk')} where no side is right as it is"
    yield 2 * len(of.unseen), f"no markers to see: {', '.join(dict.fromkeys(of.unseen))}"
    yield 3 * of.outside, "a change is needed outside the hunks"
    yield 2 * of.swapped, "ours and theirs are swapped in a rebase"
    yield of.given_up, f"{counted(of.given_up, 'operation')} to be given up"
    yield (
        of.set_back,
        f"{of.set_back} {'branch' if of.set_back == 1 else 'branches'} to be set to another commit",
    )
    yield of.own + 1 if of.own else 0, f"{counted(of.own, 'conflict')} to be made"
    yield max(0, of.steps - 1), f"conflicts in {counted(of.steps, 'step')}"
    yield of.apart // COMMITS_A_POINT, f"{counted(of.apart, 'commit')} between the branches"


def needs_both(word: str) -> bool:
    """Whether no side is right as it is where this is kept of a hunk."""
    return word not in KEEP or "+" in word


def _needs_both(steps: Iterable[Step]) -> Iterator[bool]:
    for step in steps:
        for ways in step.accepted.values():
            if ways:
                yield from map(needs_both, ways[0].words)


def _edited_outside(steps: Iterable[Step]) -> Iterator[bool]:
    """Files whose accepted text differs from the merge outside the hunks."""
    for step in steps:
        for conflict in step.merge.conflicts:
            ways = step.accepted.get(conflict.path, ())
            if conflict.merged is not None and ways and ways[0].choices:
                clean = conflict.merged.clean
                yield any(mine != theirs for mine, theirs in zip(clean, ways[0].clean, strict=True))


def _distance(key: Key, step: Step) -> int:
    """How many commits the two sides have that the other has not."""
    ours = ancestors(key.commits, step.ours)
    theirs = ancestors(key.commits, step.theirs)
    return len(ours ^ theirs)
