"""Take a submission over: an allow-list of its repository's files, read as plain data, under a
configuration of ours.

Nothing is followed out of the submission's own folder: no link, no `.git` file, no alternate. Nothing
of theirs has a say: their configuration, hooks, attributes, grafts and replace refs stay where they are.
Loose objects are read one by one when they are asked for (`vcs.objects`); packs, which libgit2 must
have as files, are copied.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pygit2

from muddled_orchard.vcs.isolation import isolate
from muddled_orchard.vcs.objects import LooseObjects, read_plain_file
from muddled_orchard.vcs.practice import ORIGIN

MOST_REFS = 50_000
LARGEST_STATE_FILE = 16 << 20
LARGEST_PACK = 256 << 20

STATE_FILES = (
    "HEAD",
    "packed-refs",
    "index",
    "logs/HEAD",
    "logs/refs/stash",
    "MERGE_HEAD",
    "CHERRY_PICK_HEAD",
    "REVERT_HEAD",
    "REBASE_HEAD",
    "SQUASH_MSG",
    *(f"rebase-merge/{name}" for name in ("msgnum", "end", "head-name", "onto")),
    *(f"rebase-apply/{name}" for name in ("next", "last", "head-name", "onto")),
)
STATE_FOLDERS = ("rebase-merge", "rebase-apply", "sequencer")

_PACK = re.compile(r"pack-[0-9a-f]{40}\.(pack|idx)")
_PLAIN_NAME = re.compile(r"[^\x00-\x20\x7f~^:?*\[\\]+")


class Unreadable(Exception):
    """The submission can't be read; the message says why, in words for its owner."""


@dataclass(frozen=True, slots=True)
class Quarantine:
    """A submission taken over.

    `files` are its refs and state files by name (`refs/heads/main`, `MERGE_HEAD`, ...; a state folder
    is there as a key that ends in a slash), `repo` gives its objects, `room` is our folder for what
    must lie on a disk, `worktree` where its working tree lies (None for a bare repository),
    `remote` the refs of the `origin.git` beside it.
    """

    files: dict[str, bytes]
    repo: pygit2.Repository
    room: Path
    worktree: Path | None
    remote: dict[str, bytes] | None = None


def find_repository(folder: Path) -> tuple[Path, Path | None] | None:
    """The repository (its `.git` or bare folder) and the working tree of a submission, or None.

    A submission is a practice folder with `work/` in it, a working tree, or a bare repository.
    Raises Unreadable where `.git` is a link or a file that points elsewhere.
    """
    for candidate in (folder / "work", folder):
        try:
            kind = (candidate / ".git").lstat().st_mode
        except OSError:
            continue
        if stat.S_ISDIR(kind) and stat.S_ISDIR(candidate.lstat().st_mode):
            return candidate / ".git", candidate
        raise Unreadable(".git is no folder of its own: it points to another place, which is not read")
    if all(_is_folder(folder / name) for name in ("objects", "refs")):
        return folder, None
    return None


def take_over(gitdir: Path, worktree: Path | None, room: Path) -> Quarantine:
    """Read what may be read of `gitdir`; `room` is a new folder for what must lie on a disk.

    Raises Unreadable where the repository is damaged or too large.
    """
    files = dict(_state(str(gitdir)))
    if "HEAD" not in files:
        raise Unreadable("the repository has no HEAD")
    objects = gitdir / "objects"
    if not _is_folder(objects):
        raise Unreadable("the repository has no objects")
    isolate()
    room.mkdir()
    repo = pygit2.Repository()  # in memory: it has no files, and so no configuration
    odb = pygit2.Odb()
    odb.add_backend(LooseObjects(objects), 1)
    if _copy_packs(objects / "pack", room / "objects/pack"):
        odb.add_disk_alternate(room / "objects")
    repo.set_odb(odb)
    return Quarantine(files, repo, room, worktree, _remote_refs(worktree))


def _state(gitdir: str) -> Iterator[tuple[str, bytes]]:
    for name in STATE_FILES:
        parent = name.rpartition("/")[0]
        if parent and not _is_folder(f"{gitdir}/{parent}"):
            continue
        data = read_plain_file(f"{gitdir}/{name}", LARGEST_STATE_FILE)
        if data is not None:
            yield name, data
    for name in STATE_FOLDERS:
        if _is_folder(f"{gitdir}/{name}"):
            yield f"{name}/", b""
    seen = 0
    folders = ["refs"] if _is_folder(f"{gitdir}/refs") else []
    while folders:
        folder = folders.pop()
        for entry in _entries(f"{gitdir}/{folder}"):
            seen += 1
            if seen > MOST_REFS:
                raise Unreadable(f"it has more than {MOST_REFS:,} refs")
            name = f"{folder}/{entry.name}"
            if not _PLAIN_NAME.fullmatch(name):
                continue
            if entry.is_dir(follow_symlinks=False):
                folders.append(name)
            elif (data := read_plain_file(entry.path, 4096)) is not None:
                yield name, data


def _remote_refs(worktree: Path | None) -> dict[str, bytes] | None:
    """The refs of the remote that lies beside the working tree in a practice folder."""
    if worktree is None or not _is_folder(worktree.parent / ORIGIN):
        return None
    return {name: data for name, data in _state(str(worktree.parent / ORIGIN)) if "ref" in name}


def _copy_packs(source: Path, target: Path) -> bool:
    """Copy what packs there are; say whether there are any."""
    if not _is_folder(source):
        return False
    size = 0
    for entry in _entries(str(source)):
        if _PACK.fullmatch(entry.name) and entry.is_file(follow_symlinks=False):
            size += entry.stat(follow_symlinks=False).st_size
            target.mkdir(parents=True, exist_ok=True)
            data = read_plain_file(entry.path, LARGEST_PACK)
            if data is None or size > LARGEST_PACK:
                raise Unreadable(f"its packs are larger than {LARGEST_PACK >> 20} MiB")
            (target / entry.name).write_bytes(data)
    return target.exists()


def _entries(folder: str) -> list[os.DirEntry[str]]:
    try:
        with os.scandir(folder) as entries:
            return sorted(entries, key=lambda entry: entry.name)
    except OSError as error:
        raise Unreadable(f"the folder {Path(folder).name} can't be read: {error.strerror}") from None


def _is_folder(path: Path | str) -> bool:
    try:
        return stat.S_ISDIR(os.lstat(path).st_mode)
    except OSError:
        return False
