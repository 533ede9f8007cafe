"""Objects of a foreign repository, read one by one as bytes and in bounded memory.

libgit2 asks for an object, and this backend opens that one file, follows no link on the way, and
inflates no more than it may. libgit2 then checks that the content is what its id says.
"""

from __future__ import annotations

import os
import stat
import zlib
from pathlib import Path

import pygit2

LARGEST_OBJECT = 64 << 20
"""The largest object that is read, in bytes."""

_KINDS = {b"commit": 1, b"tree": 2, b"blob": 3, b"tag": 4}


class LooseObjects(pygit2.OdbBackend):
    """The loose objects below an `objects` folder. What can't be read as one isn't there."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = str(folder)
        self._plain: dict[str, bool] = {}

    def read_cb(self, id_: pygit2.Oid | str) -> tuple[int, bytes]:
        """The kind and the content of an object."""
        name = str(id_)
        data = self._inflated(name)
        header, _, content = data.partition(b"\0")
        kind, _, size = header.partition(b" ")
        if kind not in _KINDS or not size.isdigit() or int(size) != len(content):
            raise KeyError(name)
        return _KINDS[kind], content

    def read_header_cb(self, id_: pygit2.Oid | str) -> tuple[int, int]:
        """The kind and the size of an object."""
        kind, content = self.read_cb(id_)
        return kind, len(content)

    def read_prefix_cb(self, id_: str) -> tuple[int, bytes, str]:
        """An object by its whole id; ids are never abbreviated here."""
        return (*self.read_cb(id_), id_)

    def exists_cb(self, id_: pygit2.Oid | str) -> bool:
        """Whether there is such a file."""
        name = str(id_)
        return self._has_folder(name[:2]) and Path(self._path(name)).is_file()

    def refresh_cb(self) -> None:
        """Nothing is remembered that could grow old."""

    def _path(self, name: str) -> str:
        return f"{self._folder}/{name[:2]}/{name[2:]}"

    def _has_folder(self, name: str) -> bool:
        """Whether a folder is one, and no link to another place."""
        if name not in self._plain:
            try:
                self._plain[name] = stat.S_ISDIR(os.lstat(f"{self._folder}/{name}").st_mode)
            except OSError:
                self._plain[name] = False
        return self._plain[name]

    def _inflated(self, name: str) -> bytes:
        if len(name) != 40 or not self._has_folder(name[:2]):
            raise KeyError(name)
        packed = read_plain_file(self._path(name), LARGEST_OBJECT)
        if packed is None:
            raise KeyError(name)
        inflating = zlib.decompressobj()
        try:
            data = inflating.decompress(packed, LARGEST_OBJECT)
        except zlib.error:
            raise KeyError(name) from None
        if not inflating.eof:
            raise KeyError(name)
        return data


def read_plain_file(path: str, most: int) -> bytes | None:
    """The content of a plain file of at most `most` bytes; None for a link, a pipe, a device, a larger
    file, and what isn't there. Nothing is followed or waited for."""
    try:
        descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
    except OSError:
        return None
    try:
        about = os.fstat(descriptor)
        if not stat.S_ISREG(about.st_mode) or about.st_size > most:
            return None
        parts = []
        while part := os.read(descriptor, max(about.st_size + 1, 1 << 16)):
            parts.append(part)
            if sum(map(len, parts)) > most:
                return None
        return b"".join(parts)
    except OSError:
        return None
    finally:
        os.close(descriptor)
