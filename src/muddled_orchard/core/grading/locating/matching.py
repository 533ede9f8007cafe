"""Which of a learner's commits replays which original? Matched by author, message and patch.

A replayed commit has another id and other surroundings, so nothing but what it says and what it changes
ties it to its original. What has no commit of its own may have been squashed into another one.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from muddled_orchard.core.git.commits import Commit, Commits
from muddled_orchard.core.git.lines import by_lines, lines_of
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.key.answer_key import Step

Patch = Counter[tuple[str, str, str]]
"""What a commit changes: path, `+` or `-`, and the line without blanks at its ends; a mode stands behind a
zero byte."""

_ALIKE = 0.6
"""Patches that share this much of their lines are the same change, met by other surroundings."""


class Matches(Struct, frozen=True):
    """The learner's commit for each original (by its id); None where there is none.

    `into` names, for originals without a commit, the one that has their change; `twice` are commits that
    repeat another, `foreign` those that replay nothing and lie below one that does. `reordered`: the
    commits are not in the order of their originals.
    """

    made: Mapping[str, Commit | None]
    into: Mapping[str, Commit]
    twice: tuple[Commit, ...]
    foreign: tuple[Commit, ...]
    reordered: bool


def matched(
    commits: Commits, texts: Mapping[str, bytes], steps: Sequence[Step], own: Sequence[Commit]
) -> Matches:
    """Match a line of the learner's own commits, the oldest first, to the steps of one operation."""
    left = list(own)
    made = _by_words(commits, texts, steps, left)
    open_steps = [step for step in steps if made[_id(step)] is None]
    patches = {commit.id: commit_patch(commits, texts, commit) for commit in own} if open_steps else {}
    wanted = {_id(step): _patches(commits, texts, step) for step in open_steps}
    holds = {
        commit.id: [id_ for id_, two in wanted.items() if _best(_within, two, patches[commit.id]) >= _ALIKE]
        for commit in own
        if open_steps
    }
    for id_, two in wanted.items():
        # Who holds several of them has squashed them, and replays none.
        fits = [(_best(alike, two, patches[c.id]), c) for c in left if len(holds[c.id]) < 2]
        best = max(fits, key=lambda fit: fit[0], default=None)
        if best is not None and best[0] >= _ALIKE:
            made[id_] = best[1]
            left.remove(best[1])
    if len(steps) == 1 and made[_id(steps[0])] is None and left:
        # The only one that was asked for, under another name: what has most of it.
        two = wanted[_id(steps[0])]
        most = max(left, key=lambda commit: _best(_shared, two, patches[commit.id]))
        if _best(_shared, two, patches[most.id]):
            made[_id(steps[0])] = most
            left.remove(most)
    _by_what_they_add(left, made, wanted, patches)
    # Of what becomes empty by the key no commit need be left.
    empty = {_id(step) for step in steps if step.becomes_empty(commits)}
    paths = {
        id_: {path for one in two for path, _, _ in one} for id_, two in wanted.items() if id_ not in empty
    }
    _by_place(own, left, made, paths, patches, holds)
    into = {
        id_: next(commit for commit in own if id_ in holds[commit.id])
        for id_ in wanted
        if made[id_] is None and any(id_ in held for held in holds.values())
    }
    pairs = {(commit.author, commit.subject) for commit in made.values() if commit}
    twice = tuple(commit for commit in left if (commit.author, commit.subject) in pairs)
    top = max((own.index(commit) for commit in (*made.values(), *into.values()) if commit), default=-1)
    holders = {commit.id for commit in into.values()} | {commit.id for commit in twice}
    foreign = tuple(c for c in left if own.index(c) < top and c.id not in holders)
    places = [own.index(commit) for commit in made.values() if commit]
    return Matches(made, into, twice, foreign, places != sorted(places))


def subject_of(commits: Commits, step: Step) -> str:
    """The subject that the commit of a step has when Git makes it."""
    message = step.operation.message_for(commits[_id(step)])
    return message.split("\n", 1)[0]


def keeps_author(commits: Commits, step: Step, commit: Commit) -> bool:
    """Whether a commit has the author that it should have; a revert is its maker's own."""
    keeps = step.operation.keeps_commits
    return not keeps or commit.author == commits[_id(step)].author


def _id(step: Step) -> str:
    return step.commit or ""


def _by_words(
    commits: Commits, texts: Mapping[str, bytes], steps: Sequence[Step], left: list[Commit]
) -> dict[str, Commit | None]:
    """Match by author and message in order, then out of order, then by message alone; what is matched is
    taken out of `left`. Of several that say the same, those that are there are told apart by their patch."""
    made: dict[str, Commit | None] = {_id(step): None for step in steps}
    _by_patch_among_namesakes(commits, texts, steps, left, made)
    for in_order, by_author in ((True, True), (False, True), (False, False)):
        start = 0
        for step in steps:
            if made[_id(step)] is not None:
                continue
            subject = subject_of(commits, step)
            for place, commit in enumerate(left):
                fits = commit.subject == subject and (not by_author or keeps_author(commits, step, commit))
                if fits and (place >= start or not in_order):
                    made[_id(step)] = commit
                    del left[place]
                    start = place
                    break
    return made


def _by_what_they_add(
    left: list[Commit],
    made: dict[str, Commit | None],
    wanted: Mapping[str, tuple[Patch, Patch]],
    patches: Mapping[str, Patch],
) -> None:
    """Match a commit that adds something which a single one of the missing ones adds, and no other commit."""
    missing = {id_: _added(*two) for id_, two in wanted.items() if made[id_] is None}
    pairs = [
        (id_, commit)
        for id_, added in missing.items()
        for commit in left
        if not added.isdisjoint(_added(patches[commit.id]))
    ]
    ids, found = (Counter(one) for one in ([id_ for id_, _ in pairs], [commit.id for _, commit in pairs]))
    for id_, commit in pairs:
        if ids[id_] == found[commit.id] == 1:
            made[id_] = commit
            left.remove(commit)


def _added(*patches: Patch) -> set[tuple[str, str]]:
    """What patches add, in which file; blank lines tell nothing."""
    return {(path, line) for one in patches for path, sign, line in one if sign == "+" and line}


def _by_place(
    own: Sequence[Commit],
    left: list[Commit],
    made: dict[str, Commit | None],
    wanted: Mapping[str, set[str]],
    patches: Mapping[str, Patch],
    holds: Mapping[str, Sequence[str]],
) -> None:
    """Match what neither words nor patches tell by its place: a conflict that was resolved otherwise, and
    committed under another name, lies between the commits that its neighbours became. Only where as many
    commits lie there as are missing, and each changes a file that its original changes."""
    ids = [id_ for id_ in made if made[id_] is not None or id_ in wanted]
    start = 0
    while start < len(ids):
        stop = start
        while stop < len(ids) and made[ids[stop]] is None:
            stop += 1
        if stop > start:
            before = made[ids[start - 1]] if start else None
            after = made[ids[stop]] if stop < len(ids) else None
            low = own.index(before) + 1 if before else 0
            high = own.index(after) if after else len(own)
            between = [commit for commit in own[low:high] if commit in left]
            if len(between) == stop - start and all(
                len(holds.get(commit.id, ())) < 2 and _touches(patches[commit.id], wanted[id_])
                for id_, commit in zip(ids[start:stop], between, strict=True)
            ):
                for id_, commit in zip(ids[start:stop], between, strict=True):
                    made[id_] = commit
                    left.remove(commit)
        start = stop + 1


def _touches(made: Patch, wanted: set[str]) -> bool:
    """Whether a commit changes a file that its original changes; who keeps ours everywhere changes none."""
    return not made or any(path in wanted for path, _, _ in made)


def _by_patch_among_namesakes(
    commits: Commits,
    texts: Mapping[str, bytes],
    steps: Sequence[Step],
    left: list[Commit],
    made: dict[str, Commit | None],
) -> None:
    names = Counter((commits[_id(step)].author, subject_of(commits, step)) for step in steps)
    for step in steps:
        subject = subject_of(commits, step)
        if names[commits[_id(step)].author, subject] < 2:
            continue
        two = _patches(commits, texts, step)
        fits = [
            (_best(alike, two, commit_patch(commits, texts, commit)), commit)
            for commit in left
            if commit.subject == subject and keeps_author(commits, step, commit)
        ]
        best = max(fits, key=lambda fit: fit[0], default=None)
        if best is not None and best[0] >= _ALIKE:
            made[_id(step)] = best[1]
            left.remove(best[1])


def _patches(commits: Commits, texts: Mapping[str, bytes], step: Step) -> tuple[Patch, Patch]:
    """The change as the original has it, and as it comes out when it is solved by the key."""
    theirs = patch(
        texts, commits[step.base or ""].tree if step.base in commits else {}, commits[step.theirs].tree
    )
    return theirs, patch(texts, commits[step.ours].tree, step.solved)  # fmt: skip


def commit_patch(commits: Commits, texts: Mapping[str, bytes], commit: Commit) -> Patch:
    """What a commit changes of its first parent."""
    parent = commits.get(commit.parents[0]) if commit.parents else None
    return patch(texts, parent.tree if parent else {}, commit.tree)


def patch(texts: Mapping[str, bytes], before: Tree, after: Tree) -> Patch:
    """What changes between two trees."""
    found: Patch = Counter()
    for path in before.keys() | after.keys():
        old, new = before.get(path), after.get(path)
        if old == new:
            continue
        if old is None or new is None or old.mode != new.mode:  # a file may have no lines
            found[path, "-" if new is None else "+", f"\0{new.mode if new else 0:o}"] = 1
        was, now = (_lines(texts, blob.id) if blob else Counter() for blob in (old, new))
        found.update({(path, "-", line): count for line, count in (was - now).items()})
        found.update({(path, "+", line): count for line, count in (now - was).items()})
    return found


def _lines(texts: Mapping[str, bytes], id_: str) -> Counter[str]:
    data = texts.get(id_, b"")
    return Counter(line.strip() for line in lines_of(data)) if by_lines(data) else Counter([id_])


def _best(measure: Callable[[Patch, Patch], float], two: tuple[Patch, Patch], patch: Patch) -> float:
    return max(measure(one, patch) for one in two)


def alike(one: Patch, other: Patch) -> float:
    """The share of lines that two patches have in common (0 to 1)."""
    return (one & other).total() / (one | other).total() if one and other else 0.0


def _shared(one: Patch, other: Patch) -> float:
    """How many lines two patches have in common, blank ones left out."""
    return sum(count for (_, _, line), count in (one & other).items() if line)


def _within(part: Patch, whole: Patch) -> float:
    """The share of a patch that another one has as well (0 to 1)."""
    return (part & whole).total() / part.total() if part else 0.0
