"""A repository in memory: libgit2 makes the objects, and nothing is written to a disk."""

from __future__ import annotations

import functools
import zlib

import pygit2

from muddled_orchard.vcs.isolation import isolate

_KINDS = {1: b"commit", 2: b"tree", 3: b"blob", 4: b"tag"}


class MemoryObjects(pygit2.OdbBackend):
    """Git objects by id in hex: their kind (as libgit2 numbers it) and their content."""

    def __init__(self) -> None:
        super().__init__()
        self.held: dict[str, tuple[int, bytes]] = {}

    def read_cb(self, id_: pygit2.Oid | str) -> tuple[int, bytes]:
        """The kind and the content of an object."""
        return self.held[str(id_)]

    def read_header_cb(self, id_: pygit2.Oid | str) -> tuple[int, int]:
        """The kind and the size of an object."""
        kind, content = self.held[str(id_)]
        return kind, len(content)

    def read_prefix_cb(self, id_: str) -> tuple[int, bytes, str]:
        """An object by its whole id; ids are never abbreviated here."""
        return (*self.held[id_], id_)

    def exists_cb(self, id_: pygit2.Oid | str) -> bool:
        """Whether there is such an object."""
        return str(id_) in self.held

    def write_cb(self, id_: pygit2.Oid | str, content: bytes, kind: int) -> None:
        """Take an object in."""
        self.held[str(id_)] = (kind, bytes(content))

    def refresh_cb(self) -> None:
        """There is nothing that could grow old."""


def memory_repository() -> tuple[pygit2.Repository, MemoryObjects]:
    """An empty repository that has objects and nothing else, and where they are held."""
    isolate()
    repo = pygit2.Repository()
    odb = pygit2.Odb()
    objects = MemoryObjects()
    odb.add_backend(objects, 1)
    repo.set_odb(odb)
    return repo, objects


def loose_path(id_: str) -> str:
    """Where a loose object lies below `objects/`."""
    return f"{id_[:2]}/{id_[2:]}"


@functools.lru_cache(maxsize=4096)  # a class shares most of its objects
def loose_file(kind: int, content: bytes) -> bytes:
    """An object as Git keeps it in a file of its own (gitformat-loose)."""
    return zlib.compress(_KINDS[kind] + b" %d\0" % len(content) + content, 1)
