"""Git objects in memory, put together as Git stores them (gitformat-loose, gitformat-pack).

Stories are made of a handful of small objects for each of thousands of learners. Here they cost a hash each;
libgit2 would look up everything that they name on the disk first.
"""

from __future__ import annotations

import functools
import hashlib
import struct
import zlib
from collections.abc import Iterable, Mapping

from muddled_orchard.core.git.packs import BLOB, COMMIT, KINDS, TREE
from muddled_orchard.core.git.trees import FOLDER


class Objects:
    """Objects by id in hex: their kind and their content."""

    def __init__(self) -> None:
        self.held: dict[str, tuple[int, bytes]] = {}

    def blob(self, data: bytes) -> str:
        """Take a file's content in and return its id."""
        return self._add(BLOB, data)

    def tree(self, listing: Mapping[str, tuple[int, str]]) -> str:
        """The same for a tree, from a flat listing of path -> (mode, blob id), folders as deep as they go."""
        entries: list[tuple[bytes, int, str]] = []
        folders: dict[str, dict[str, tuple[int, str]]] = {}
        for path, (mode, id_) in listing.items():
            name, _, rest = path.partition("/")
            if rest:
                folders.setdefault(name, {})[rest] = (mode, id_)
            else:
                entries.append((name.encode("utf-8", "surrogateescape"), mode, id_))
        for name, below in folders.items():
            entries.append((name.encode("utf-8", "surrogateescape"), FOLDER, self.tree(below)))
        # Git sorts folders as if their names ended in a slash.
        entries.sort(key=lambda entry: entry[0] + b"/" if entry[1] == FOLDER else entry[0])
        parts = (b"%o %s\0%s" % (mode, name, bytes.fromhex(id_)) for name, mode, id_ in entries)
        return self._add(TREE, b"".join(parts))

    def commit(self, who: str, message: str, tree: str, parents: Iterable[str]) -> str:
        """The same for a commit; `who` (`Name <address> seconds zone`) is its author and committer."""
        lines = [f"tree {tree}", *(f"parent {id_}" for id_ in parents), f"author {who}", f"committer {who}"]
        return self._add(COMMIT, "\n".join((*lines, "", message)).encode())

    def _add(self, kind: int, content: bytes) -> str:
        header = b"%s %d\0" % (KINDS[kind], len(content))
        id_ = hashlib.sha1(header + content, usedforsecurity=False).hexdigest()
        self.held[id_] = (kind, content)
        return id_


def pack_file(objects: Iterable[tuple[int, bytes]]) -> bytes:
    """Objects as one pack (gitformat-pack), none of them as a difference to another."""
    parts = []
    for kind, content in objects:
        size = len(content)
        byte = kind << 4 | size & 15
        size >>= 4
        header = bytearray()
        while size:
            header.append(byte | 128)
            byte = size & 127
            size >>= 7
        header.append(byte)
        parts.append(bytes(header) + zlib.compress(content, 0))  # it is read once, and soon
    data = struct.pack(">4sLL", b"PACK", 2, len(parts)) + b"".join(parts)
    return data + hashlib.sha1(data, usedforsecurity=False).digest()


def loose_path(id_: str) -> str:
    """Where a loose object lies below `objects/`."""
    return f"{id_[:2]}/{id_[2:]}"


@functools.lru_cache(maxsize=4096)  # a class shares most of its objects
def loose_file(kind: int, content: bytes) -> bytes:
    """An object as Git keeps it in a file of its own (gitformat-loose)."""
    return zlib.compress(KINDS[kind] + b" %d\0" % len(content) + content, 1)
