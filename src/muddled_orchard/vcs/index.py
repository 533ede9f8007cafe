"""The index as Git keeps it in a file (gitformat-index(5)), written and read as data."""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Iterable, Iterator

from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.submission.evidence import IndexEntry

_HEADER = struct.Struct(">4sLL")
_ENTRY = struct.Struct(">24xL12x20sH")
_EXTENDED = 0x4000
_MOST_NAMES = 16 << 20


class BadIndex(Exception):
    """The file is no index, or none that can be read; the message says why."""


def index_file(entries: Iterable[IndexEntry]) -> bytes:
    """An index of version 2 (gitformat-index) that remembers nothing of the files on a disk, so that it
    is the same everywhere; Git looks at each file once and fills that in."""
    named = [(entry.path.encode("utf-8", "surrogateescape"), entry.stage, entry.blob) for entry in entries]
    named.sort(key=lambda one: one[:2])
    parts = [_HEADER.pack(b"DIRC", 2, len(named))]
    for path, stage, blob in named:
        flags = stage << 12 | min(len(path), 0xFFF)
        entry = _ENTRY.pack(blob.mode, bytes.fromhex(blob.id), flags) + path
        parts.append(entry + b"\0" * (8 - len(entry) % 8))
    data = b"".join(parts)
    return data + hashlib.sha1(data, usedforsecurity=False).digest()


def read_index(data: bytes) -> list[IndexEntry]:
    """The entries of an index of any version, in its order. Raises BadIndex."""
    end = len(data) - 20
    # Git can be told to leave the checksum out; there are noughts then.
    if any(data[end:]) and hashlib.sha1(data[:end], usedforsecurity=False).digest() != data[end:]:
        raise BadIndex("the index is damaged")
    try:
        return list(_entries(data[:end]))
    except (struct.error, ValueError, IndexError):
        raise BadIndex("the index is damaged") from None


def _entries(data: bytes) -> Iterator[IndexEntry]:
    sign, version, count = _HEADER.unpack_from(data)
    if sign != b"DIRC" or version not in (2, 3, 4):
        raise ValueError
    at = _HEADER.size
    names = 0
    path = b""
    for _ in range(count):
        mode, id_, flags = _ENTRY.unpack_from(data, at)
        start = at + _ENTRY.size + (2 if flags & _EXTENDED else 0)
        if version == 4:
            dropped, start = _number(data, start)
            if dropped > len(path):
                raise ValueError
            end = data.index(b"\0", start)
            path = path[: len(path) - dropped] + data[start:end]
            following = end + 1
        else:
            end = data.index(b"\0", start)
            path = data[start:end]
            following = at + (end - at + 8) // 8 * 8
        at = following
        names += len(path)
        if names > _MOST_NAMES:
            raise BadIndex("its index lists more than a practice repository's can")
        name = path.decode("utf-8", "surrogateescape")
        yield IndexEntry(name, flags >> 12 & 3, Blob(mode, id_.hex()))
    while at + 8 <= len(data):
        kind, size = struct.unpack_from(">4sL", data, at)
        if kind == b"link":
            how = "git update-index --no-split-index makes it one"
            raise BadIndex(f"its index is split in two files; {how}")
        if not kind[:1].isupper():  # one that must be understood, says the format
            raise BadIndex("its index is of a kind that can't be read")
        at += 8 + size


def _number(data: bytes, at: int) -> tuple[int, int]:
    """A number of variable width as packs have it for offsets (gitformat-pack(5)), and where it ends."""
    byte = data[at]
    number = byte & 127
    while byte & 128:
        if number > _MOST_NAMES:  # it would only grow, and take ever longer
            raise ValueError
        at += 1
        byte = data[at]
        number = (number + 1) << 7 | byte & 127
    return number, at + 1
