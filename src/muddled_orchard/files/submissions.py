"""Which submissions are there? Whatever came back, in any naming: folders, archives, bundles."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from muddled_orchard.core.places import is_noise
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.files.unpacking import is_archive

_INSIDE = ("work", "work.git", ".git")
_ENDINGS = (".tar.gz", ".tar.xz", ".tgz", ".txz", ".tar", ".zip", ".bundle", ".git")
# What lies beside submissions and is none: what we write, and an instructor's lists.
_OURS = (".db", ".db-wal", ".db-shm", ".csv", ".json", ".xml")
_DEEPEST = 3


@dataclass(frozen=True, slots=True)
class Handed:
    """A submission: where it lies, and the name that it was handed in under."""

    path: Path
    name: str


def find_submissions(named: Iterable[Path]) -> list[Handed]:
    """Every submission: each that is named, or those in a folder full of them.

    A folder in it without a repository may hold archives. Raises BadInput for what isn't there.
    """
    found: list[Handed] = []
    for path in named:
        if not path.exists():
            raise BadInput(Problem("there is no such file or folder", "Check the path.", file=str(path)))
        if not path.is_dir() or _has_repository(path, 0):
            found.append(Handed(path, _name(path)))
            continue
        below = list(_below(path))
        if not below:
            hint = "Name a practice folder, an archive, or a folder full of them."
            raise BadInput(Problem("there is no submission in this folder", hint, file=str(path)))
        found += below
    return found


def _below(folder: Path) -> Iterator[Handed]:
    for entry in _entries(folder):
        path = Path(entry.path)
        if entry.is_dir(follow_symlinks=False):
            inside = [] if _has_repository(path, _DEEPEST) else list(_archives(path, _DEEPEST))
            several = len(inside) > 1
            yield from (Handed(p, f"{path.name}/{_name(p)}" if several else path.name) for p in inside)
            if not inside:
                yield Handed(path, _name(path))
        elif entry.is_file(follow_symlinks=False) and not path.name.lower().endswith(_OURS):
            yield Handed(path, _name(path))


def _archives(folder: Path, deeper: int) -> Iterator[Path]:
    for entry in _entries(folder):
        path = Path(entry.path)
        if entry.is_dir(follow_symlinks=False) and deeper:
            yield from _archives(path, deeper - 1)
        elif entry.is_file(follow_symlinks=False) and is_archive(path):
            yield path


def _has_repository(folder: Path, deeper: int) -> bool:
    """Whether a repository, bare or not, or a practice folder lies here or a few folders deeper."""
    here = (
        os.path.lexists(folder / ".git")
        or os.path.lexists(folder / "work" / ".git")
        or ((folder / "HEAD").is_file() and (folder / "objects").is_dir())
    )
    return here or (
        deeper > 0
        and any(
            _has_repository(Path(entry.path), deeper - 1)
            for entry in _entries(folder)
            if entry.is_dir(follow_symlinks=False)
        )
    )


def _entries(folder: Path) -> list[os.DirEntry[str]]:
    try:
        with os.scandir(folder) as found:
            entries = sorted(found, key=lambda entry: entry.name)
    except OSError:
        return []
    return [e for e in entries if not e.name.startswith(".") and not is_noise(e.name)]


def _name(path: Path) -> str:
    """What a submission is called: its file's name without the ending, or its folder's."""
    name = path.name
    if name in ("", "..", *_INSIDE):  # `.` and the like: what they stand for is what the folder is called
        path = Path(os.path.abspath(path))  # noqa: PTH100 - links stay, `..` goes
        name = path.parent.name if path.name in _INSIDE else path.name
    ending = next((ending for ending in _ENDINGS if name.lower().endswith(ending)), "")
    return name[: len(name) - len(ending)]
