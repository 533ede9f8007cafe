"""Histories that differ in words alone: what Git makes of one can be told of the others, in their words.

A class has hundreds of variants of one story, and Git merges them all alike, since it compares whole
lines and asks of a line only whether it equals another one, how far it is indented and how it ends. What
Git also looks into, the content of renamed files and of what is no text, is compared as it is; where that
is not enough nothing is told, and Git has to be asked.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from functools import lru_cache
from itertools import pairwise

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.commits import Commit, Commits, ancestry
from muddled_orchard.core.git.lines import Lines, is_binary, lines_of
from muddled_orchard.core.git.trees import LINK, Blob
from muddled_orchard.core.merging.conflict import Conflict, Hunk, MergedText, MergeResult

_MOST_ENTRIES, _MOST_BYTES = 20_000, 1 << 18
"""Of how many commits, files and lines a history may be made, and of how many bytes: what is remembered of
hundreds of them must not fill a worker's memory."""

_SHORT = 500
_LINE = pattern(r"(\s*)(.*?)(\r?\n?)", re.DOTALL)


class HistoryShape(Struct, frozen=True):
    """A history in its own words.

    `shape` is equal for histories that Git can't tell apart; their `commits` (ids), `blobs` (ids) and
    `lines` then stand for each other, place by place.
    """

    shape: Hashable
    commits: tuple[str, ...]
    blobs: tuple[str, ...]
    lines: Lines


def history_shape(
    commits: Commits, tips: Sequence[str], texts: Mapping[str, bytes], times: Mapping[str, int]
) -> HistoryShape | None:
    """All that some commits grew from. None where words decide more than lines can say.

    `times` are the commits' dates in seconds, since of several merge bases Git takes the youngest first;
    commits that are not in it all have the same one.
    """
    found = _within_bounds(commits, tips, texts)
    if found is None or not _keeps_names(found):
        return None
    places = {commit.id: place for place, commit in enumerate(found)}
    blobs: dict[str, int] = {}
    as_it_is: set[str] = set()
    shape: list[Hashable] = [tuple(places.get(tip) for tip in tips)]
    for commit in found:
        entries = []
        for path, blob in commit.tree.items():
            entries.append((path, blob.mode, blobs.setdefault(blob.id, len(blobs))))
            if blob.mode == LINK or path.rpartition("/")[2] == ".gitattributes":
                as_it_is.add(blob.id)
        parents = tuple(places[parent] for parent in commit.parents if parent in places)
        shape.append((times.get(commit.id), parents, tuple(entries)))
    lines: dict[str, int] = {}
    for id_ in blobs:
        data = texts.get(id_)
        if data is None or is_binary(data) or id_ in as_it_is:
            shape.append(id_)
        else:
            text = lines_of(data)
            for line in text:
                if line not in lines:
                    lines[line] = len(lines)
            shape.append(tuple(map(lines.__getitem__, text)))
    shape.append(_looks(lines))
    return HistoryShape(tuple(shape), tuple(places), tuple(blobs), tuple(lines))


def _within_bounds(commits: Commits, tips: Sequence[str], texts: Mapping[str, bytes]) -> list[Commit] | None:
    """The commits, unless they hold more than is to be remembered."""
    found: dict[str, Commit] = {}
    entries = size = 0
    seen: set[str] = set()
    for tip in tips:
        for commit in ancestry(commits, tip):
            if commit.id in found:
                continue
            found[commit.id] = commit
            new = {blob.id for blob in commit.tree.values()} - seen
            seen |= new
            size += sum(len(texts.get(id_, b"")) for id_ in new)
            entries += 1 + len(commit.tree) + sum(texts.get(id_, b"").count(b"\n") for id_ in new)
            if size > _MOST_BYTES or entries > _MOST_ENTRIES:
                return None
    return list(found.values())


def _keeps_names(commits: Iterable[Commit]) -> bool:
    """Whether no file can have been renamed: a rename is recognised by how much of the content is alike."""
    names = sorted({frozenset(commit.tree) for commit in commits}, key=len)
    return all(few <= more for few, more in pairwise(names))


def _looks(lines: Iterable[str]) -> tuple[Hashable, ...]:
    """What Git sees of each line beside its equality with others: the indentation, the end, and, where it
    looks for changes that were made already, which lines are equal but for white space."""
    same: dict[str, int] = {}
    looks: list[Hashable] = []
    for line in lines:
        look, words = _look(line) if len(line) < _SHORT else _look.__wrapped__(line)
        looks += (look, same.setdefault(words, len(same)))
    return tuple(looks)


@lru_cache(maxsize=1 << 12)  # variants share most of their lines
def _look(line: str) -> tuple[tuple[str, bool, str], str]:
    """How a line begins, whether there is anything in it, and how it ends; and its words without white
    space."""
    match = _LINE.fullmatch(line)
    assert match is not None  # noqa: S101 - the pattern takes everything
    words = "".join(match[2].split())
    return (match[1], bool(words), match[3]), words


def translate(
    merge: MergeResult,
    content: Callable[[str], bytes],
    first: HistoryShape,
    other: HistoryShape,
    blob: Callable[[bytes], str],
) -> MergeResult | None:
    """What Git made of `first`, told of `other`, which has the same shape; None where it can't be told.

    `content` gives what a blob that the merge made holds, `blob` takes a content in and gives its id. A
    conflicted text keeps its blob: what is in it is told by the conflict.
    """
    ids = dict(zip(first.blobs, other.blobs, strict=True))
    words = dict(zip(first.lines, other.lines, strict=True))
    try:
        conflicts = tuple(_conflict(conflict, ids, words) for conflict in merge.conflicts)
        texted = {conflict.path for conflict in merge.conflicts if conflict.merged is not None}
        tree = {}
        for path, held in merge.tree.items():
            if path not in texted and held.id not in ids:
                told = "".join(words[line] for line in lines_of(content(held.id)))
                ids[held.id] = blob(told.encode("utf-8", "surrogateescape"))
            tree[path] = Blob(held.mode, ids.get(held.id, held.id))
    except KeyError:  # a line or a content that is in none of the commits: Git mended the end of a file
        return None
    return MergeResult(tree, conflicts)


def _conflict(conflict: Conflict, ids: Mapping[str, str], words: Mapping[str, str]) -> Conflict:
    def told(lines: Lines) -> Lines:
        return tuple(words[line] for line in lines)

    stages = {stage: Blob(held.mode, ids[held.id]) for stage, held in conflict.stages.items()}
    merged = conflict.merged and MergedText(
        tuple(
            Hunk(told(part.ours), told(part.theirs), told(part.base), part.base_is_shared)
            if isinstance(part, Hunk)
            else told(part)
            for part in conflict.merged.parts
        )
    )
    return replace(conflict, stages=stages, merged=merged)
