"""What a repository itself shows as left to do: unmerged paths, markers, what is in no commit."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.git.lines import Lines, by_lines, lines_of
from muddled_orchard.core.git.trees import Blob, Tree
from muddled_orchard.core.git.under_way import UNDER_WAY
from muddled_orchard.core.merging.markers import markers_outside
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.status import is_backup, is_in_a_commit, uncommitted

_UNMERGED = {
    (1, 2, 3): "changed on both sides",
    (2, 3): "made on both sides",
    (1, 2): "changed by ours, deleted or renamed by theirs",
    (1, 3): "deleted or renamed by ours, changed by theirs",
    (1,): "deleted or renamed on both sides",
    (2,): "only ours has it",
    (3,): "only theirs has it",
}


Left = Literal[
    "unmerged",
    "marker",
    "staged marker",
    "committed marker",
    "staged",
    "changed",
    "backup",
    "committed backup",
    "untracked",
    "not completed",
    "not applied",
    "bisect",
    "detached",
    "elsewhere",
    "instead",
    "give up",
    "task",
    "kept stash",
    "stash",
    "roles",
]

_WORDS: Mapping[Left, str] = {
    "unmerged": "unmerged: {}",
    "marker": "conflict marker: {}",
    "staged marker": "conflict marker, staged: {}",
    "committed marker": "conflict marker, committed: {}",
    "staged": "staged, not committed",
    "changed": "changed, not staged",
    "backup": "a backup file that an editor or merge tool left",
    "committed backup": "a backup file that was committed",
    "untracked": "untracked",
    "not completed": "{}the operation is not completed yet",
    "not applied": "the patch does not apply, and nothing of it is here yet",
    "bisect": "a git bisect is open",
    "detached": "HEAD is detached: what you commit here belongs to no branch",
    "elsewhere": "{} is checked out in the end",
    "instead": "{}",
    "give up": "this is where it is to be given up again",
    "task": "{}",
    "kept stash": "there is still work in the stash: after a conflict Git keeps it",
    "stash": "there is work in the stash (git stash list)",
    "roles": "in a team each has one role: muddled peek --role 1 (or 2) says what is yours",
}


_REPLAYS = ("rebase", "cherry-pick", "revert", "am")


class LeftToDo(Struct, frozen=True):
    """Something that is left to do: its kind, the file and line that it is about, and what more there is to
    say; `work` is False for what is only worth knowing."""

    kind: Left
    file: str = ""
    line: int | None = None
    detail: str = ""
    work: bool = True

    @property
    def where(self) -> str:
        """The place, as people write it."""
        return f"{self.file}, line {self.line}" if self.line else self.file

    @property
    def what(self) -> str:
        """A few words on it."""
        return _WORDS[self.kind].format(self.detail)


def left_in(
    evidence: Evidence, kind: str, *, is_work: bool, work: Collection[str], completes: bool
) -> Iterator[LeftToDo]:
    """What the repository itself shows; `is_work`: whether uncommitted changes are something left to do, but
    for those in `work`, which were handed out; `completes`: whether what is under way is to be completed."""
    unmerged = list(_unmerged(evidence))
    yield from unmerged
    markers = list(_markers(evidence))
    yield from markers
    changes = list(_changes(evidence, is_work=is_work, work=work))
    yield from changes
    if kind and UNDER_WAY[kind].go_on and not unmerged and completes:
        waits = [item for item in changes if item.kind == "changed" or is_stray(evidence, item)]
        merged = not waits and not any(item.kind == "marker" for item in markers)
        told = "everything is merged; " if merged else ""
        if kind in _REPLAYS and not any(item.kind in ("staged", "changed") for item in changes) and merged:
            told = "nothing of the commit at hand is left; "
        pending = evidence.pending
        if pending is not None and (pending.committed or pending.was_reset):
            told = f"what it had stopped at {'is committed' if pending.committed else 'was reset'}; "
        yield LeftToDo("not applied" if _is_not_applied(evidence, changes) else "not completed", detail=told)
    if evidence.bisecting:
        yield LeftToDo("bisect")
    elif evidence.head is None and not kind:
        yield LeftToDo("detached")
    for path in sorted(_head_tree(evidence)):
        if is_backup(path):
            yield LeftToDo("committed backup", path)


def _is_not_applied(evidence: Evidence, changes: Sequence[LeftToDo]) -> bool:
    """Whether a patch is at hand of which Git has done nothing: it does not apply, and nothing was merged."""
    pending = evidence.pending
    waits = pending is not None and pending.kind == "am" and not pending.three_way
    return waits and not any(item.kind in ("staged", "changed") for item in changes)


def _head_tree(evidence: Evidence) -> Tree:
    head = evidence.commits.get(evidence.head_commit or "")
    return head.tree if head else {}


def _unmerged(evidence: Evidence) -> Iterator[LeftToDo]:
    stages: dict[str, list[int]] = {}
    for entry in evidence.index:
        if entry.stage:
            stages.setdefault(entry.path, []).append(entry.stage)
    for path, found in sorted(stages.items()):
        yield LeftToDo("unmerged", path, detail=_UNMERGED[tuple(sorted(found))])


def _changes(evidence: Evidence, *, is_work: bool, work: Collection[str]) -> Iterator[LeftToDo]:
    for change in uncommitted(evidence, _head_tree(evidence), {}):
        counts = is_work and change.path not in work
        if change.how == "staged":
            yield LeftToDo("staged", change.path, work=counts)
        elif change.how == "unstaged":
            yield LeftToDo("changed", change.path, work=counts)
        elif change.how == "untracked" and is_backup(change.path):
            yield LeftToDo("backup", change.path)
        elif change.how == "untracked":
            yield LeftToDo("untracked", change.path, work=False)


def _markers(evidence: Evidence) -> Iterator[LeftToDo]:
    """Conflict markers in the working tree, in what is staged and in the last commit."""
    head = evidence.commits.get(evidence.head_commit or "")
    before: dict[str, Lines] = {}
    for parent in head.parents if head else ():
        for path, blob in evidence.commits[parent].tree.items() if parent in evidence.commits else ():
            before[path] = before.get(path, ()) + _lines(evidence.texts, blob)
    staged: dict[str, Blob] = {}
    sides: dict[str, Lines] = {}
    for entry in evidence.index:
        if entry.stage == 0:
            staged[entry.path] = entry.blob
        else:
            sides[entry.path] = sides.get(entry.path, ()) + _lines(evidence.texts, entry.blob)
    told: set[str] = set()
    known = {*staged, *sides}
    places: tuple[tuple[Left, Mapping[str, Blob]], ...] = (
        ("marker", {p: b for p, b in (evidence.working or {}).items() if p in known}),
        ("staged marker", {p: b for p, b in staged.items() if not head or head.tree.get(p) != b}),
        ("committed marker", head.tree if head else {}),
    )
    for kind, tree in places:
        for path, blob in sorted(tree.items()):
            expected = (*before.get(path, ()), *sides.get(path, ()))
            for marker in markers_outside(_lines(evidence.texts, blob), expected, ()):
                if path not in told or kind == "marker":
                    told.add(path)
                    yield LeftToDo(kind, path, marker.line, brief(marker.text.strip(), 50))


def _lines(texts: Mapping[str, bytes], blob: Blob) -> Lines:
    data = texts.get(blob.id, b"")
    return lines_of(data) if by_lines(data) else ()


def is_stray(evidence: Evidence, item: LeftToDo) -> bool:
    """Whether it is a file that Git does not know here, and that is in some commit: no note of the
    learner's."""
    unknown = item.kind in ("untracked", "backup")
    return unknown and is_in_a_commit(evidence, item.file)
