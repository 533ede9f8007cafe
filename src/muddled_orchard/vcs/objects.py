"""Objects of a foreign repository, read one by one as bytes and in bounded memory.

libgit2 asks for an object, and this backend reads that one file from where the submission lies, and
inflates no more than it may. libgit2 then checks that the content is what its id says.
"""

from __future__ import annotations

import zlib

import pygit2

from muddled_orchard.core.places import Place
from muddled_orchard.vcs.memory import loose_path

LARGEST_OBJECT = 64 << 20
"""The largest object that is read, in bytes."""

_KINDS = {b"commit": 1, b"tree": 2, b"blob": 3, b"tag": 4}


class LooseObjects(pygit2.OdbBackend):
    """The loose objects below an `objects` folder. What can't be read as one isn't there."""

    def __init__(self, objects: Place) -> None:
        super().__init__()
        self._objects = objects

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
        return self._objects.kind(loose_path(name)) == "file"

    def refresh_cb(self) -> None:
        """Nothing is remembered that could grow old."""

    def _inflated(self, name: str) -> bytes:
        packed = self._objects.read(loose_path(name), LARGEST_OBJECT) if len(name) == 40 else None
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
