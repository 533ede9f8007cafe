"""Which submissions are there? Whatever came back, in any naming: folders, archives, bundles."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.submission.file_source import is_noise
from muddled_orchard.files.archives.export import is_drill, spread
from muddled_orchard.files.archives.forms import ENDINGS
from muddled_orchard.files.archives.unpacking import is_archive

_WORK = "work"
_ORIGIN = "origin.git"
_INSIDE = (_WORK, f"{_WORK}.git", ".git")
_ENDINGS = (*ENDINGS, ".git")
# What lies beside submissions and is none: what we write, and an instructor's lists.
_OURS = (".db", ".db-wal", ".db-shm", ".csv", ".json", ".xml")
_DEEPEST = 3


_PAGES = (".html", ".htm")


class Handed(Struct, frozen=True):
    """A submission: where it lies, the name that it was handed in under, how its place is said, where it lies
    elsewhere than the user sees it, why it can't be had at all, and the folder or archive full of submissions
    that was named (empty: it was named itself)."""

    path: Path
    name: str
    shown: str = ""
    refused: str = ""
    pile: str = ""

    @property
    def place(self) -> str:
        """Its place for people."""
        return self.shown or str(self.path)


class Pile(Struct, frozen=True):
    """The submissions of a run, and how much was passed over: pages that lie beside them, and entries with
    nothing in them."""

    handed: tuple[Handed, ...]
    pages: int = 0
    empty: int = 0


def find_submissions(
    named: Iterable[Path], folder: Callable[[], Path] | None = None, bounds: Bounds | None = None
) -> Pile:
    """Every submission: each that is named, or those in a folder or an archive full of them.

    A folder in it that is none itself may hold several, of any form. `folder` makes a folder for what an
    archive full of submissions holds; without it an archive is one submission. Raises BadInput for what isn't
    there.
    """
    found: list[Handed] = []
    passed_over: Counter[str] = Counter()
    for path in named:
        if not path.exists():
            raise BadInput(Problem("there is no such file or folder", "Check the path.", file=str(path)))
        place = spread(path, folder, bounds or Bounds()) if folder is not None else None
        if place is None and (not path.is_dir() or _is_repository(str(path))):
            found.append(Handed(path, _name(path)))
            continue
        try:
            os.scandir(place or path).close()
        except OSError as error:
            raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
        below = list(_below(place or path, passed_over))
        if not below:
            hint = "Name a practice folder, an archive, or a folder full of them."
            raise BadInput(Problem("there is no submission in this folder", hint, file=str(path)))
        if place is not None:
            below = [
                replace(
                    handed,
                    name=f"{_name(path)}/{handed.name}" if is_drill(path) else handed.name,
                    shown=f"{path}/{handed.path.relative_to(place).as_posix()}",
                )
                for handed in below
            ]
        if folder is not None:
            below = [one for handed in below for one in _of_drill(handed, folder, bounds or Bounds())]
        found += [replace(handed, pile=str(path)) for handed in below]
    return Pile(tuple(found), passed_over["page"], passed_over["empty"])


def _of_drill(handed: Handed, folder: Callable[[], Path], bounds: Bounds) -> list[Handed]:
    """The exercises of a drill that lies in a pile packed; anything else as it is."""
    if handed.path.suffix.lower() != ".zip" or not is_drill(handed.path):
        return [handed]
    try:
        place = spread(handed.path, folder, bounds)
    except BadInput:  # too large: reading it as one says so
        place = None
    if place is None:
        return [handed]
    return [
        Handed(one, f"{handed.name}/{_owner(_name(one))}", f"{handed.place}/{one.name}")
        for one in _inside(place, 1)
    ] or [handed]


def _below(folder: Path, passed_over: Counter[str]) -> Iterator[Handed]:
    for entry in _entries(folder):
        path = Path(entry.path)
        if entry.is_dir(follow_symlinks=False):
            if _is_repository(entry.path):
                yield Handed(path, _owner(_name(path)))
                continue
            if len(bare := _bare_ones(path)) > 1:  # as gather and a host keep them, an exercise in a folder
                yield from (Handed(one, _name(one)) for one in bare)
                continue
            inside, owner = list(_inside(path, _DEEPEST)), _owner(path.name)
            if len(inside) > 1:  # a group, or several exercises of one learner
                yield from (Handed(one, f"{owner}/{_owner(_name(one))}") for one in inside)
            elif inside:
                yield Handed(path if inside[0].is_dir() else inside[0], owner)
            elif (kind := _kind_of(path, _DEEPEST)) != "submission":
                passed_over[kind] += 1
            else:
                yield Handed(path, owner)
        elif path.name.lower().endswith(_PAGES):
            passed_over["page"] += 1
        elif entry.is_file(follow_symlinks=False) and not path.name.lower().endswith(_OURS):
            yield Handed(path, _owner(_name(path)))


def _bare_ones(folder: Path) -> list[Path]:
    """The bare repositories in a folder that holds nothing else; none where it holds anything else."""
    entries = _entries(folder)
    bare = all(entry.name.endswith(".git") and _is_bare(entry.path) for entry in entries)
    return [Path(entry.path) for entry in entries] if bare else []


def _is_bare(folder: str) -> bool:
    return os.path.isfile(f"{folder}/HEAD") and os.path.isdir(f"{folder}/objects")  # noqa: PTH112, PTH113


def _is_repository(folder: str) -> bool:
    """Whether a folder is a repository, bare or not, or a practice folder."""
    inside = any(os.path.lexists(f"{top}/.git") for top in (folder, f"{folder}/{_WORK}"))
    both = all(_is_bare(f"{folder}/{name}") for name in (_WORK, _ORIGIN))
    return inside or both or _is_bare(folder)


def _kind_of(folder: Path, deeper: int) -> str:
    """`empty` where no file lies in a folder, `page` where only pages do, else `submission`."""
    found = "empty"
    for entry in _entries(folder):
        if entry.is_dir(follow_symlinks=False):
            kind = _kind_of(Path(entry.path), deeper - 1) if deeper else "submission"
        else:
            kind = "page" if entry.name.lower().endswith(_PAGES) else "submission"
        if kind == "submission":
            return kind
        found = kind if kind == "page" else found
    return found


def _owner(name: str) -> str:
    """Whose it is, where a platform has put a number and more behind the name: `Ada Quince_10423_file`."""
    match = re.fullmatch(r"(.*\S)_\d{2,}(_.*)?", name)
    return match[1] if match else name


def _inside(folder: Path, deeper: int) -> Iterator[Path]:
    """The repositories, practice folders and archives in a folder that is none itself."""
    for entry in _entries(folder):
        path = Path(entry.path)
        if entry.is_dir(follow_symlinks=False):
            if _is_repository(entry.path):
                yield path
            elif deeper:
                yield from _inside(path, deeper - 1)
        elif entry.is_file(follow_symlinks=False) and is_archive(path):
            yield path


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
