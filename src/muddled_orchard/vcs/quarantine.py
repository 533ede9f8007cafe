"""Take a submission over: an allow-list of its repository's files, copied as plain data under a
configuration of ours.

Nothing is followed out of the submission's own folder: no link, no `.git` file, no alternate. Nothing
of theirs has a say: their configuration, hooks, attributes, grafts and replace refs stay where they are.
"""

from __future__ import annotations

import os
import re
import shutil
import stat
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from muddled_orchard.vcs.build import CONFIG

MOST_FILES = 200_000
MOST_BYTES = 1 << 30
LARGEST_FILE = 256 << 20

_LOOSE = re.compile(r"objects/([0-9a-f]{2})/([0-9a-f]{38})")
_ALLOWED = re.compile(
    r"""
    (objects/[0-9a-f]{2}/[0-9a-f]{38}
    |objects/pack/pack-[0-9a-f]{40}\.(pack|idx)
    |packed-refs|HEAD|ORIG_HEAD|index|logs/HEAD
    |refs/(heads|tags|remotes)/.+|refs/stash|logs/refs/stash
    |(MERGE|CHERRY_PICK|REVERT|REBASE)_HEAD|MERGE_MSG|MERGE_MODE|SQUASH_MSG|AUTO_MERGE
    |(rebase-merge|rebase-apply|sequencer)/[A-Za-z0-9_-]+
    )""",
    re.VERBOSE,
)
_FOLDERS = re.compile(
    r"objects(/[0-9a-f]{2}|/pack)?|refs(/.*)?|logs(/refs)?|rebase-merge|rebase-apply|sequencer"
)


class Unreadable(Exception):
    """The submission can't be read; the message says why, in words for its owner."""


@dataclass(slots=True)
class _Bounds:
    files: int = 0
    bytes: int = 0

    def count(self, size: int, name: str) -> None:
        self.files += 1
        self.bytes += size
        if size > LARGEST_FILE:
            raise Unreadable(f"{name} is larger than {LARGEST_FILE >> 20} MiB")
        if self.files > MOST_FILES:
            raise Unreadable(f"it has more than {MOST_FILES:,} files")
        if self.bytes > MOST_BYTES:
            raise Unreadable(f"it is larger than {MOST_BYTES >> 20} MiB")


@dataclass(frozen=True, slots=True)
class Quarantine:
    """A submission taken over: our copy of the repository, and where its working tree lies (None for
    a bare repository). `left_out` names what was not taken for a reason that a person should hear."""

    gitdir: Path
    worktree: Path | None
    left_out: tuple[str, ...] = field(default=())


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
    if (folder / "HEAD").is_file() and (folder / "objects").is_dir() and (folder / "refs").is_dir():
        return folder, None
    return None


def take_over(
    gitdir: Path, worktree: Path | None, into: Path, known_objects: Path | None = None
) -> Quarantine:
    """Copy what may be copied from `gitdir` into the new folder `into`.

    Loose objects that `known_objects` holds already (what was handed out) are read from there.
    Raises Unreadable where the repository is too large or can't be read.
    """
    for folder in ("objects/info", "objects/pack", "refs/heads"):
        (into / folder).mkdir(parents=True)
    (into / "config").write_text(CONFIG.format(bare="true"), encoding="ascii")
    if known_objects is not None:
        (into / "objects/info/alternates").write_text(f"{known_objects}\n", encoding="utf-8")
    bounds = _Bounds()
    left_out = []
    made = {""}
    for name, entry in _files(gitdir, "", bounds):
        if not _ALLOWED.fullmatch(name):
            continue
        if entry.is_symlink() or not entry.is_file(follow_symlinks=False):
            left_out.append(f".git/{name} is no plain file and was not read")
            continue
        bounds.count(entry.stat(follow_symlinks=False).st_size, f".git/{name}")
        loose = _LOOSE.fullmatch(name) if known_objects is not None else None
        if loose and os.path.exists(f"{known_objects}/{loose[1]}/{loose[2]}"):  # noqa: PTH110 - it is fast
            continue
        parent, _, _ = name.rpartition("/")
        if parent not in made:
            made.add(parent)
            (into / parent).mkdir(parents=True, exist_ok=True)
        _copy(entry.path, f"{into}/{name}")
    if not (into / "HEAD").exists():
        raise Unreadable("the repository has no HEAD")
    return Quarantine(into, worktree, tuple(left_out))


def _files(folder: Path, prefix: str, bounds: _Bounds) -> Iterator[tuple[str, os.DirEntry[str]]]:
    try:
        entries = list(os.scandir(folder))
    except OSError as error:
        raise Unreadable(f"the folder .git/{prefix} can't be read: {error.strerror}") from None
    for entry in entries:
        name = prefix + entry.name
        if entry.is_dir(follow_symlinks=False):
            bounds.count(0, f".git/{name}")
            if _FOLDERS.fullmatch(name):
                yield from _files(Path(entry.path), name + "/", bounds)
        else:
            yield name, entry


def _copy(source: str, target: str) -> None:
    # No link is followed even if one was put there since the look, and nothing waits for a pipe.
    flags = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0)
    try:
        descriptor = os.open(source, flags)
    except OSError as error:
        raise Unreadable(f"{Path(source).name} can't be read: {error.strerror}") from None
    with open(descriptor, "rb") as reading, open(target, "xb") as writing:  # noqa: PTH123
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            raise Unreadable(f"{Path(source).name} is no plain file")
        shutil.copyfileobj(reading, writing)
