"""An archive of many submissions, as a learning platform exports them: spread out in a folder, and then read
as any pile is."""

from __future__ import annotations

import os
import stat
import zlib
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.files.archives.forms import ENDINGS
from muddled_orchard.files.archives.members import clean
from muddled_orchard.files.archives.zip import refuse_many

if TYPE_CHECKING:
    import zipfile

_CHUNK = 1 << 18
_LONGEST_LINK = 4096
_MOST_ENTRIES = 200_000
_LARGEST = 2 << 30
"""The most that all submissions of one archive may unpack to, in bytes."""


def spread(path: Path, folder: Callable[[], Path], bounds: Bounds) -> Path | None:
    """Unpack a zip file of submissions into a new folder, and give that; None where it is a single one, or no
    zip file. What is larger than a submission may be is left empty, and costs that one alone.

    Raises BadInput where all of it is too large.
    """
    if not os.path.isfile(path):  # noqa: PTH113 - what can't be looked at is no file, too
        return None
    import zipfile  # as in `tar`: only where it is done

    try:
        if not zipfile.is_zipfile(path):
            return None
        with path.open("rb") as file:
            refuse_many(file, replace(bounds, entries=_MOST_ENTRIES))
            with zipfile.ZipFile(file) as archive:
                members = [
                    info for info in archive.infolist() if not info.is_dir() and not info.flag_bits & 1
                ]
                depth = _depth([clean(member.filename).split("/") for member in members])
                if depth is None:
                    return None
                place = folder()
                for info in archive.infolist():  # whoever handed in nothing has an empty folder
                    place.joinpath(*clean(info.filename).split("/")[depth : depth + info.is_dir()]).mkdir(
                        exist_ok=True
                    )
                return _spread(archive, members, depth, place, bounds)
    except (Exceeded, OSError, RuntimeError, NotImplementedError, ValueError, EOFError, zlib.error,
            zipfile.BadZipFile):  # fmt: skip
        return None  # reading it as a submission says what is wrong with it


DRILL = "drill"
"""The folder that exercises of a drill are packed in."""


def is_drill(path: Path) -> bool:
    """Whether a file begins as a zip file of a drill's exercises does, without reading more of it."""
    name = f"{DRILL}/".encode()
    try:
        with path.open("rb") as file:
            head = file.read(_NAME + len(name))
    except OSError:
        return False
    return head.startswith(b"PK\3\4") and head[_NAME:] == name


_NAME = 30  # where the first file's name stands in a zip file (APPNOTE.TXT, 4.3.7)


def _depth(paths: Sequence[Sequence[str]]) -> int | None:
    """How many folders lead to the submissions; None where it is a single one: it holds one repository, or
    neither repositories nor archives."""
    if not paths:
        return None
    depth = 0
    while all(len(path) > depth + 1 for path in paths) and len({path[depth] for path in paths}) == 1:
        depth += 1
    repositories = {path[depth] for path in paths if ".git" in path[depth:-1]}
    if repositories:
        return depth if len(repositories) > 1 else None
    # The folder of a single learner is no way to others.
    return max(0, depth - 1) if any(path[-1].lower().endswith(ENDINGS) for path in paths) else None


def _spread(
    archive: zipfile.ZipFile, members: Sequence[zipfile.ZipInfo], depth: int, place: Path, bounds: Bounds
) -> Path:
    packed = sum(member.compress_size for member in members)
    most = min(_LARGEST, max(bounds.size, bounds.free, bounds.ratio * packed))
    if sum(member.file_size for member in members) > most:
        hint = "Unpack it yourself, and name the folder."
        raise BadInput(
            Problem(f"unpacked it is larger than {in_mib(most)}", hint, file=str(archive.filename))
        )
    sizes: Counter[str] = Counter()
    links = []
    for member in members:
        parts = clean(member.filename).split("/")[depth:]
        sizes[parts[0]] += member.file_size
        target = place.joinpath(*parts)
        target.parent.mkdir(parents=True, exist_ok=True)
        if stat.S_ISLNK(member.external_attr >> 16):
            if member.file_size < _LONGEST_LINK:
                links.append((target, archive.read(member)))
        else:
            _write(archive, member, target, bounds.size if sizes[parts[0]] <= bounds.size else 0)
    for target, name in links:  # at last, so that nothing is written through one
        if not target.exists() and not target.is_symlink():
            target.symlink_to(name.decode("utf-8", "surrogateescape"))
    return place


def _write(archive: zipfile.ZipFile, member: zipfile.ZipInfo, target: Path, most: int) -> None:
    import zipfile

    with target.open("wb") as file:
        if member.file_size <= most and member.compress_type in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            left = most
            with archive.open(member) as source:
                while left > 0 and (data := source.read(min(_CHUNK, left))):
                    file.write(data)
                    left -= len(data)
    if (member.external_attr >> 16) & 0o100:
        target.chmod(0o700)
