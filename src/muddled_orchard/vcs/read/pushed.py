"""What was pushed to a repository of ours as a submission: its objects on the disk, under refs as they stood
after the push, whatever has been pushed since."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.git.refs import BRANCHES, branch_ref
from muddled_orchard.core.submission.clones import own_refs
from muddled_orchard.core.submission.file_source import FileEntry, Kind, MemorySource
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.write.practice import ORIGIN, WORK


class PushSnapshot(Struct, frozen=True):
    """A push: the repository, its refs after it by full name, and the branch that was handed out as checked
    out. Where the exercise has a remote of its own the repository is that: `handed_out` are then the
    learner's branches as they were handed out, and `before` those of the remote, by name. `to_go` are those
    that a task wants deleted: whether they still are in a learner's clone can't be seen, so they count as
    gone once anything was pushed."""

    repository: Path
    refs: Mapping[str, str]
    head: str
    handed_out: Mapping[str, str] | None = None
    before: Mapping[str, str] | None = None
    to_go: tuple[str, ...] = ()


class PushedSource:
    """The files of a push. With a remote of its own it is a practice folder whose `work` is bare."""

    size = 0  # what is of it in memory are names

    def __init__(self, snapshot: PushSnapshot) -> None:
        self._objects = DiskSource(snapshot.repository / "objects")
        self._rest = MemorySource()
        if snapshot.handed_out is None:
            self._prefixes = ["objects"]
            self._add("", snapshot.head, snapshot.refs)
        else:
            self._prefixes = [f"{WORK}/objects", f"{ORIGIN}/objects"]
            self._add(f"{WORK}/", snapshot.head, _own_refs(snapshot))
            self._add(f"{ORIGIN}/", snapshot.head, snapshot.refs)

    def _add(self, prefix: str, head: str, refs: Mapping[str, str]) -> None:
        there = sorted(name.removeprefix(BRANCHES) for name in refs if name.startswith(BRANCHES))
        checked_out = head if head in there or not there else there[0]
        self._rest.add(f"{prefix}HEAD", "file", f"ref: {branch_ref(checked_out)}\n".encode())
        lines = "".join(f"{id_} {name}\n" for name, id_ in sorted(refs.items()))
        self._rest.add(f"{prefix}packed-refs", "file", lines.encode())
        self._rest.add(f"{prefix}refs", "folder")
        self._rest.add(f"{prefix}objects", "folder")

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""
        inner = self._inner(path)
        return self._rest.kind(path) if inner is None else self._objects.kind(inner)

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""
        inner = self._inner(path)
        return self._rest.read(path, most) if inner is None else self._objects.read(inner, most)

    def entries(self, path: str) -> list[FileEntry]:
        """What a folder holds, by name. Raises OSError."""
        inner = self._inner(path)
        return self._rest.entries(path) if inner is None else self._objects.entries(inner)

    def target(self, path: str) -> bytes:
        """Where a link points. Raises OSError."""
        return self._objects.target(self._inner(path) or "")

    def _inner(self, path: str) -> str | None:
        """The path below the objects on the disk; None for what lies in memory."""
        for prefix in self._prefixes:
            if path == prefix:
                return ""
            if path.startswith(prefix + "/"):
                return path[len(prefix) + 1 :]
        return None


def _own_refs(snapshot: PushSnapshot) -> dict[str, str]:
    there = {
        name.removeprefix(BRANCHES): id_ for name, id_ in snapshot.refs.items() if name.startswith(BRANCHES)
    }
    return own_refs(snapshot.handed_out or {}, snapshot.before or {}, there, snapshot.to_go)
