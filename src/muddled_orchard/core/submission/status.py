"""What lies in the working tree and the index that is not in the commit that is checked out."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.trees import Blob, Tree, is_file
from muddled_orchard.core.submission.evidence import Evidence, IndexEntry

_BACKUP = pattern(
    r".*\.(orig|rej|bak|swp|swo|tmp)|.*~|\.#.*|#.*#|.*[_.](BACKUP|BASE|LOCAL|REMOTE)[_.]\d+(\..*)?",
    re.IGNORECASE,
)


class Uncommitted(Struct, frozen=True):
    """A path that differs from the commit: `staged` in the index, `unstaged` in the working tree only,
    `unmerged`, or `untracked`."""

    path: str
    how: Literal["unmerged", "staged", "unstaged", "untracked"]


def is_backup(path: str) -> bool:
    """Whether a file's name is one that editors and merge tools give to what they leave behind."""
    return _BACKUP.fullmatch(path.rsplit("/", 1)[-1]) is not None


def uncommitted(evidence: Evidence, head: Tree, texts: Mapping[str, bytes]) -> Iterator[Uncommitted]:
    """Everything that `git status` would show, in the order of paths.

    Files that differ in CRLF alone, and modes where the file system keeps none, don't count: Git on
    another system makes them so without the learner's doing. `texts` adds contents by blob id.
    """
    staged = {entry.path: entry.blob for entry in evidence.index if entry.stage == 0}
    unmerged = set(evidence.unmerged)
    working = evidence.working
    if working is None and not evidence.index:
        return  # a bare repository has neither
    known = {**texts, **evidence.texts}
    for path in sorted({*staged, *unmerged, *head, *(working or {})}):
        if path in unmerged:
            yield Uncommitted(path, "unmerged")
        elif path not in staged and path not in head:
            if path not in evidence.ignored:
                yield Uncommitted(path, "untracked")
        elif staged.get(path) != head.get(path):
            yield Uncommitted(path, "staged")
        elif working is not None and not _same(staged.get(path), working.get(path), known):
            yield Uncommitted(path, "unstaged")


def _same(blob: Blob | None, other: Blob | None, texts: Mapping[str, bytes]) -> bool:
    if blob is None or other is None:
        return blob is other
    if blob.id == other.id:
        return True
    first, second = texts.get(blob.id), texts.get(other.id)
    if first is None or second is None:
        return False
    return first.replace(b"\r\n", b"\n") == second.replace(b"\r\n", b"\n")


def _merged_modes(index: Sequence[IndexEntry]) -> dict[str, int]:
    """The modes that Git gives unmerged files: that of the side that changed it."""
    stages: dict[str, dict[int, int]] = {}
    for entry in index:
        if entry.stage:
            stages.setdefault(entry.path, {})[entry.stage] = entry.blob.mode
    return {
        path: modes[3] if modes[2] == modes.get(1) else modes[2]
        for path, modes in stages.items()
        if {2, 3} <= modes.keys() and is_file(modes[2]) and is_file(modes[3])
    }


def tracked(evidence: Evidence) -> dict[str, Blob]:
    """The working tree as it would be committed: the paths that Git knows, with what lies there now.

    Without a working tree to see, the index stands in for it. Whether a file is executable is told by the
    index: not every file system, and not every archive, keeps that.
    """
    known = {entry.path: entry.blob for entry in evidence.index if entry.stage in (0, 2)}
    if evidence.working is None:
        return known
    known = {entry.path: entry.blob for entry in reversed(evidence.index)} | known
    known |= {path: Blob(mode, known[path].id) for path, mode in _merged_modes(evidence.index).items()}
    return {
        path: Blob(known[path].mode, blob.id) if is_file(blob.mode) and is_file(known[path].mode) else blob
        for path, blob in evidence.working.items()
        if path in known
    }


def is_in_a_commit(evidence: Evidence, path: str) -> bool:
    """Whether any commit has a file of that name."""
    return any(path in commit.tree for commit in evidence.commits.values())
