"""The conflicts of a history: every operation that can be told is asked again, and those that conflicted are
read."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice

from msgspec import Struct

from muddled_orchard.core.git.copies import copied_from
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.gleaning.conflicts_met import LARGEST, Gleaned, gleaned
from muddled_orchard.core.gleaning.redone import (
    PastCommit,
    Redone,
    copy_again,
    likeness,
    merge_again,
    rebased_pairs,
)
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.vcs.ask.predict import ToldMerge, conflict_at
from muddled_orchard.vcs.gleaning.asking import merges_of, pair_of
from muddled_orchard.vcs.gleaning.past import commits_of
from muddled_orchard.vcs.gleaning.source import History, Missing
from muddled_orchard.vcs.gleaning.trees import Trees

_AT_ONCE = 2_000
"""So many merges are asked of one Git."""

_MOST_COMPARED = 100_000
"""So many commits, the newest, are looked through for copies of one another."""

_VIRTUAL = b"Temporary merge branch "


class Portion(Struct, frozen=True):
    """What came of some operations: how many were asked again, those that conflicted, how many could not be
    asked, and how many merged more than two."""

    asked: int
    conflicted: tuple[Gleaned, ...]
    failed: int = 0
    octopus: int = 0


def count_of_merges(history: History, since: str = "") -> int:
    """How many merges lead to any ref."""
    words = ["rev-list", "--count", "--min-parents=2", "--ignore-missing", "--stdin"]
    given = "".join(f"{id_}\n" for id_ in dict.fromkeys(history.refs.values()))
    output, failed = history.ask([*words, *([f"--since={since}"] if since else [])], given.encode())
    return 0 if failed else int(output or 0)


def conflicts_in(history: History, since: str = "") -> Iterator[Portion]:
    """Everything that can be told: the merges first, then what was copied, taken back or rebased."""
    trees = Trees(history)
    merges = commits_of(history, ["--min-parents=2"], since=since)
    while some := list(islice(merges, _AT_ONCE)):
        redone = [one for one in map(merge_again, some) if one is not None]
        yield _portion(history, trees, redone, octopus=len(some) - len(redone))
    copies = iter(_copies(history, since))
    while again := list(islice(copies, _AT_ONCE)):
        yield _portion(history, trees, again)


def _copies(history: History, since: str) -> list[Redone]:
    """What is told as a cherry-pick or a revert, and commits that stand beside their older selves."""
    found: list[Redone] = []
    alike: dict[bytes, list[str]] = {}
    tips = [*history.refs.values(), *history.remembered]
    commits = commits_of(history, ["--max-parents=1"], list(dict.fromkeys(tips)), since)
    for commit in islice(commits, _MOST_COMPARED):
        copied = copied_from(commit.message)
        if copied is None:
            alike.setdefault(likeness(commit), []).append(commit.id)
        elif (source := _one(history, copied[1])) is not None:
            again = copy_again(commit, copied[0], source)
            found += [again] if again is not None else []
    several = [id_ for ids in alike.values() if len(ids) > 1 for id_ in ids]
    alone = commits_of(history, ["--no-walk"], several) if several else ()
    pairs = [(new, old) for new, old in rebased_pairs(alone) if old.parents]
    return found + [Redone(new, "rebase", new.parents[0], old.id, old.parents[0]) for new, old in pairs]


def _one(history: History, id_: str) -> PastCommit | None:
    try:
        history.read(id_)
    except Missing:
        return None
    return next(commits_of(history, ["--no-walk"], [id_]), None)


def _portion(history: History, trees: Trees, redone: Sequence[Redone], octopus: int = 0) -> Portion:
    pairs: list[tuple[str, str]] = []
    asked: list[Redone] = []
    for one in redone:
        try:
            pairs.append(pair_of(history, one))
        except Missing:
            continue
        asked.append(one)
    history.flush()
    told = merges_of(history, pairs, diff3=False)
    met = [place for place, one in enumerate(told) if one is not None and one.stages]
    based = merges_of(history, [pairs[place] for place in met], diff3=True)
    found, failed = [], len(redone) - len(asked) + sum(one is None for one in told)
    for place, with_base in zip(met, based, strict=True):
        shown = told[place]
        try:
            assert shown is not None  # noqa: S101 - it has conflicts
            if with_base is None:
                raise Missing("Git can't be asked")
            found.append(read_again(history, trees, asked[place], shown, with_base))
        except Missing:
            failed += 1
    return Portion(len(asked), tuple(found), failed, octopus)


def read_again(history: History, trees: Trees, redone: Redone, shown: ToldMerge, based: ToldMerge) -> Gleaned:
    """How an operation was resolved that conflicts when it is asked again. Raises Missing."""
    met = conflicts_of(history, trees, shown, based)
    paths = {conflict.path for conflict in met.conflicts}
    here = {path: trees.at(redone.commit.tree, path) for path in paths}
    result: dict[str, Blob] = {path: blob for path, blob in here.items() if blob is not None}
    texts = {blob.id: _content(history, blob) for blob in _small(met.conflicts, result)}
    # What was set aside under another name is the conflict's, too.
    elsewhere = [
        path
        for path in trees.different(shown.tree, redone.commit.tree)
        if path not in paths and path not in shown.kinds
    ]
    return gleaned(redone, met.conflicts, result, texts, elsewhere, met.problem)


class ConflictsAsked(Struct, frozen=True):
    """The conflicts of a merge, and why no exercise can be made of them (empty: one can)."""

    conflicts: tuple[Conflict, ...]
    problem: str


def conflicts_of(history: History, trees: Trees, shown: ToldMerge, based: ToldMerge) -> ConflictsAsked:
    """The conflicts of a merge that Git told in both styles. Raises Missing."""
    conflicts, problem = [], ""
    for path, stages in shown.stages.items():
        blob, other = (trees.at(told.tree, path) for told in (shown, based))
        texts = None
        if blob is not None and other is not None and {2, 3} <= stages.keys():
            texts = history.read(blob.id)[1], history.read(other.id)[1]
            if max(map(len, texts)) > LARGEST:
                texts, problem = None, f"{path} is large"
            elif _VIRTUAL in texts[1]:
                problem = "its base is itself a merge with conflicts (criss-cross)"
        conflicts.append(conflict_at(path, shown, stages, texts))
    return ConflictsAsked(tuple(conflicts), problem)


def _small(conflicts: Iterable[Conflict], result: dict[str, Blob]) -> Iterator[Blob]:
    """The files that are read of conflicts: what lies there now, and of paths without hunks the sides."""
    for conflict in conflicts:
        if conflict.path in result:
            yield result[conflict.path]
        if conflict.merged is None:
            yield from conflict.stages.values()


def _content(history: History, blob: Blob) -> bytes:
    try:
        return history.read(blob.id)[1]
    except Missing:
        return b""  # a submodule's commit, or too large
