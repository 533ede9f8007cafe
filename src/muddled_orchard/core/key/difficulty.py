"""How hard a scenario is, from what makes conflicts hard. The table is in docs/answers.md."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.git.commits import ancestry
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.exercise_summary import Difficulty
from muddled_orchard.core.merging.keep import KEEP

LONG_SIDE = 5
"""A side with more lines than this takes longer to read."""

COMMITS_A_POINT = 4
"""So many commits between two branches make them one point more distant."""

_LEVELS = ((0, "none"), (3, "easy"), (7, "medium"))


def difficulty(key: Key) -> Difficulty:
    """Add up what makes the tasks of a key hard."""
    reasons = [(points, why) for points, why in _reasons(key) if points]
    total = sum(points for points, _ in reasons)
    level = next((word for most, word in _LEVELS if total <= most), "hard")
    return Difficulty(total, level, tuple(sorted(reasons, key=lambda reason: -reason[0])))


def _reasons(key: Key) -> Iterator[tuple[int, str]]:
    conflicting = [step for step in key.steps if step.merge.conflicts]
    conflicts = [(step, conflict) for step in conflicting for conflict in step.merge.conflicts]
    hunks = [hunk for _, conflict in conflicts if conflict.merged for hunk in conflict.merged.hunks]
    unseen = [conflict.kind for _, conflict in conflicts if conflict.merged is None]
    long = sum(max(len(hunk.ours), len(hunk.theirs)) > LONG_SIDE for hunk in hunks)
    both = sum(_needs_both(conflicting))
    outside = sum(len(step.clean_merge_fixes) for step in key.steps) + sum(_edited_outside(conflicting))
    swapped = {step.task for step in key.steps if step.operation.replays_own}
    yield len({conflict.path for _, conflict in conflicts}), counted(len(conflicts), "conflicted file")
    yield len(hunks), counted(len(hunks), "hunk")
    yield long, f"{counted(long, 'hunk')} with a long side"
    yield 2 * both, f"{counted(both, 'hunk')} where no side is right as it is"
    yield 2 * len(unseen), f"no markers to see: {', '.join(dict.fromkeys(unseen))}"
    yield 3 * outside, "a change is needed outside the hunks"
    yield 2 * len(swapped), "ours and theirs are swapped in a rebase"
    given_up = sum(step.given_up is not None for step in key.steps)
    yield given_up, f"{counted(given_up, 'operation')} to be given up"
    set_back = sum(step.operation.sets_back for step in key.steps)
    yield set_back, f"{set_back} {'branch' if set_back == 1 else 'branches'} to be set to another commit"
    yield max(0, len(conflicting) - 1), f"conflicts in {counted(len(conflicting), 'step')}"
    if conflicting:
        apart = max(_distance(key, step) for step in conflicting)
        yield apart // COMMITS_A_POINT, f"{counted(apart, 'commit')} between the branches"


def _needs_both(steps: Iterable[Step]) -> Iterator[bool]:
    for step in steps:
        for ways in step.accepted.values():
            if ways:
                yield from (word not in KEEP or "+" in word for word in ways[0].words)


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
    ours = {commit.id for commit in ancestry(key.commits, step.ours)}
    theirs = {commit.id for commit in ancestry(key.commits, step.theirs)}
    return len(ours ^ theirs)
