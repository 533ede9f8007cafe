"""A folder on a disk as a place: read as data, and nothing followed, opened for writing or waited for."""

from __future__ import annotations

import os
import stat
from collections.abc import Collection
from pathlib import Path

from muddled_orchard.core.base.limits import MOST_FILES, Exceeded
from muddled_orchard.core.submission.file_source import FileEntry, Kind


class DiskSource:
    """The files below a folder. Whether something is a plain folder is remembered."""

    size = 0

    def __init__(self, folder: Path, own: Collection[str] = ()) -> None:
        """`own` are full paths of files that are no part of it."""
        self._top = str(folder)
        top = os.path.realpath(folder) if own else ""
        self._own = {path.removeprefix(f"{top}/") for path in own if path.startswith(f"{top}/")}
        self._plain = {"": True}

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""
        if not self._in_folders(path):
            return None
        try:
            return _kind(os.lstat(self._at(path)).st_mode)
        except (OSError, ValueError):
            return None

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""
        return read_plain_file(self._at(path), most) if self._in_folders(path) else None

    def entries(self, path: str) -> list[FileEntry]:
        """What a folder holds, by name."""
        if not self._is_folder(path):
            return []
        found = []
        prefix = f"{path}/" if path else ""
        with os.scandir(self._at(path)) as entries:
            for entry in entries:
                if self._own and prefix + entry.name in self._own:
                    continue
                about = entry.stat(follow_symlinks=False)
                executable = bool(about.st_mode & stat.S_IXUSR)
                found.append(FileEntry(entry.name, _kind(about.st_mode), about.st_size, executable))
                if len(found) > MOST_FILES:
                    raise Exceeded(f"a folder of it holds more than {MOST_FILES:,} files")
        return sorted(found, key=lambda entry: entry.name)

    def target(self, path: str) -> bytes:
        """Where a link points."""
        return os.fsencode(os.readlink(self._at(path)))  # noqa: PTH115 - as it is

    def _at(self, path: str) -> str:
        return f"{self._top}/{path}" if path else self._top

    def _in_folders(self, path: str) -> bool:
        return self._is_folder(path.rpartition("/")[0])

    def _is_folder(self, path: str) -> bool:
        """Whether this and everything above it is a folder, and no link to another place."""
        known = self._plain.get(path)
        if known is None:
            known = self._plain[path] = self.kind(path) == "folder"
        return known


def _kind(mode: int) -> Kind:
    if stat.S_ISREG(mode):
        return "file"
    if stat.S_ISDIR(mode):
        return "folder"
    return "link" if stat.S_ISLNK(mode) else "other"


_HOW = os.O_RDONLY
for _name in ("O_NOFOLLOW", "O_NONBLOCK", "O_BINARY"):  # not every system has each
    _HOW |= getattr(os, _name, 0)


def read_plain_file(path: str, most: int) -> bytes | None:
    """The content of a plain file of at most `most` bytes; None for a link, a pipe, a device, a larger
    file, and what isn't there. Nothing is followed or waited for."""
    try:
        how = (
            os.O_RDONLY
            | getattr(os, "O_NOFOLLOW", 0)
            | getattr(os, "O_NONBLOCK", 0)
            | getattr(os, "O_BINARY", 0)
        )
        descriptor = os.open(path, how)
    except (OSError, ValueError):
        return None
    try:
        about = os.fstat(descriptor)
        if not stat.S_ISREG(about.st_mode) or about.st_size > most:
            return None
        parts = []
        have = 0
        while part := os.read(descriptor, max(about.st_size + 1 - have, 1 << 16)):
            parts.append(part)
            have += len(part)
            if have > most:
                return None
        return parts[0] if len(parts) == 1 else b"".join(parts)
    except OSError:
        return None
    finally:
        os.close(descriptor)
