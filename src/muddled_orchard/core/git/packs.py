"""Packs of a foreign repository, read object by object in bounded memory (gitformat-pack(5)).

What an object will take is known from the headers, its own and those of the deltas that lead to it, and is
looked at before anything is inflated. Nothing is written to a disk, and no other library sees a hostile pack.
"""

from __future__ import annotations

import hashlib
import struct
import zlib
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from typing import Protocol

from muddled_orchard.core.base.limits import LARGEST_OBJECT, LONGEST_CHAIN, in_mib

COMMIT, TREE, BLOB, TAG = 1, 2, 3, 4
KINDS = {COMMIT: b"commit", TREE: b"tree", BLOB: b"blob", TAG: b"tag"}
"""What Git calls objects, by the number that packs have for it."""

_OFFSET_DELTA, _REF_DELTA = 6, 7

_SIGN = struct.Struct(">4sLL")
_INDEX_SIGN = b"\xfftOc\0\0\0\2"
_PIECE = 1 << 16


class BadPack(Exception):
    """A pack, or an index of one, is damaged; the message says how."""


class TooLarge(Exception):
    """An object is larger than it may be."""


class Index(Protocol):
    """Where in a pack objects lie."""

    def offset(self, id_: bytes) -> int | None:
        """Where the object of an id (20 bytes) begins, None where it isn't there."""


class PackIndex:
    """An index file of version 1 or 2 (gitformat-pack(5)). Raises BadPack."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        self._second = data.startswith(_INDEX_SIGN)
        self._fan = 8 if self._second else 0
        self._first = self._fan + 1024
        if len(data) < self._first + 40:
            raise BadPack("the index of a pack is damaged")
        self.count = self._number(self._fan + 1020)
        if len(data) < self._first + self.count * (28 if self._second else 24) + 40:
            raise BadPack("the index of a pack is damaged")

    def offset(self, id_: bytes) -> int | None:
        """Where the object of an id (20 bytes) begins, None where it isn't there."""
        low = self._number(self._fan + 4 * id_[0] - 4) if id_[0] else 0
        high = self._number(self._fan + 4 * id_[0])
        if not low <= high <= self.count:
            raise BadPack("the index of a pack is damaged")
        place = bisect_left(range(high), id_, low, key=self._id)
        if place >= high or self._id(place) != id_:
            return None
        if not self._second:
            return self._number(self._first + 24 * place)
        offset = self._number(self._first + 24 * self.count + 4 * place)
        if offset < 1 << 31:
            return offset
        at = self._first + 28 * self.count + 8 * (offset & (1 << 31) - 1)
        if at + 8 > len(self._data):
            raise BadPack("the index of a pack is damaged")
        found: int = struct.unpack_from(">Q", self._data, at)[0]
        return found

    def _id(self, place: int) -> bytes:
        at = self._first + (20 * place if self._second else 24 * place + 4)
        return self._data[at : at + 20]

    def _number(self, at: int) -> int:
        found: int = struct.unpack_from(">L", self._data, at)[0]
        return found


class Pack:
    """The objects of a pack file."""

    def __init__(self, data: bytes | memoryview, index: Index) -> None:
        self._data = memoryview(data)
        self._index = index
        self.count = _count(self._data)

    def find(self, id_: bytes) -> int | None:
        """Where an object begins, None where it isn't there. Raises BadPack."""
        return self._index.offset(id_)

    def about(self, offset: int) -> tuple[int, int]:
        """The kind and the size of an object, without reading it. Raises BadPack."""
        kind, size, at, base = self._entry(offset)
        if base is not None:
            _, size = _sizes(self._inflated(at, size, 20))
        for _ in range(LONGEST_CHAIN):
            if base is None:
                return kind, size
            kind, _, _, base = self._entry(base)
        raise BadPack("deltas of a pack lead to each other")

    def size_at(self, offset: int) -> int:
        """The most bytes that an object, what it is a delta of or the delta itself has. Raises BadPack."""
        _, size, at, base = self._entry(offset)
        return size if base is None else max(size, *_sizes(self._inflated(at, size, 20)))

    def read(self, offset: int) -> tuple[int, bytes]:
        """The kind and the content of an object. Raises BadPack, and TooLarge before it takes much memory."""
        deltas: list[tuple[int, int]] = []
        kind, size, at, base = self._entry(offset)
        while base is not None:
            deltas.append((at, size))
            if len(deltas) > LONGEST_CHAIN:
                raise BadPack("deltas of a pack lead to each other")
            kind, size, at, base = self._entry(base)
        for place, length in deltas:  # all of them before any is inflated
            if max(length, *_sizes(self._inflated(place, length, 20))) > LARGEST_OBJECT:
                raise TooLarge
        content = self._inflated(at, size)
        for place, length in reversed(deltas):
            content = patched(content, self._inflated(place, length))
        return kind, content

    def entries(self) -> Iterator[int]:
        """Where each object begins, in order; what lies between is inflated and thrown away. Raises BadPack,
        and TooLarge."""
        at = _SIGN.size
        for _ in range(self.count):
            yield at
            _, size, start, _ = self._entry(at)
            at = self._end(start, size)

    def _entry(self, offset: int) -> tuple[int, int, int, int | None]:
        """An object's kind and size, where its data begins, and where the object begins that it is a delta
        of."""
        data = self._data
        try:
            byte = data[offset]
            at, kind, size, shift = offset + 1, byte >> 4 & 7, byte & 15, 4
            while byte & 128:
                byte = data[at]
                size |= (byte & 127) << shift
                at, shift = at + 1, shift + 7
                if shift > 60:
                    raise BadPack("an object of a pack has no size")
            if kind == _OFFSET_DELTA:
                byte = data[at]
                back = byte & 127
                at += 1
                while byte & 128:
                    byte = data[at]
                    back = back + 1 << 7 | byte & 127
                    at += 1
                    if back > offset:
                        break
                if not 0 < back <= offset - _SIGN.size:
                    raise BadPack("a delta of a pack leads nowhere")
                return kind, size, at, offset - back
            if kind == _REF_DELTA:
                base = self.find(bytes(data[at : at + 20]))
                if base is None:
                    raise BadPack("a delta of a pack leads nowhere")
                return kind, size, at + 20, base
        except IndexError:
            raise BadPack("a pack ends too early") from None
        if kind not in KINDS:
            raise BadPack("an object of a pack is of no known kind")
        return kind, size, at, None

    def _inflated(self, at: int, size: int, most: int | None = None) -> bytes:
        """The data of an entry, or its first `most` bytes."""
        if most is None and size > LARGEST_OBJECT:
            raise TooLarge
        inflating = zlib.decompressobj()
        try:
            wanted = size if most is None else min(most, size)
            found = inflating.decompress(self._data[at : at + _PIECE], wanted + 1)
            place = at + _PIECE
            if len(found) <= wanted and not inflating.eof:  # larger ones are read in pieces
                parts, have = [found], len(found)
                while have <= wanted and not inflating.eof:
                    given = inflating.unconsumed_tail or bytes(self._data[place : place + _PIECE])
                    if not given:
                        break
                    place += 0 if inflating.unconsumed_tail else _PIECE
                    parts.append(inflating.decompress(given, wanted + 1 - have))
                    have += len(parts[-1])
                found = b"".join(parts)
        except zlib.error:
            raise BadPack("an object of a pack is damaged") from None
        if most is None and len(found) != size:
            raise BadPack("an object of a pack has another size than it says")
        return found

    def _end(self, at: int, size: int) -> int:
        """Where the data of an entry ends."""
        if size > LARGEST_OBJECT:
            raise TooLarge
        inflating = zlib.decompressobj()
        have = 0
        place = at
        given = b""
        try:
            while not inflating.eof:
                if not given:
                    given = bytes(self._data[place : place + _PIECE])
                    place += len(given)
                    if not given:
                        raise BadPack("a pack ends too early")
                have += len(inflating.decompress(given, _PIECE))
                given = inflating.unconsumed_tail
                if have > size or have > LARGEST_OBJECT:
                    raise TooLarge
        except zlib.error:
            raise BadPack("an object of a pack is damaged") from None
        if have != size:
            raise BadPack("an object of a pack has another size than it says")
        return place - len(inflating.unused_data)


def look_through(data: memoryview, most_objects: int, most_bytes: int) -> None:
    """Look through a pack as it is sent, which may have deltas of objects that are elsewhere, before anybody
    unpacks it. Raises BadPack, and TooLarge where an object, all of them, or their number is too large.

    Nothing of it is held: it takes no more memory than a piece of an object.
    """
    pack = Pack(data, _Anywhere())
    if pack.count > most_objects:
        raise TooLarge(f"{pack.count:,} objects, and {most_objects:,} may come at once")
    whole = 0
    for offset in pack.entries():
        size = pack.size_at(offset)
        if size > LARGEST_OBJECT:
            raise TooLarge(f"a file of {in_mib(size)}, and the largest may have {in_mib(LARGEST_OBJECT)}")
        whole += size
        if whole > most_bytes:
            raise TooLarge(f"more than the {in_mib(most_bytes)} that may come at once")


class _Anywhere:
    """Where bases are that a pack need not have: it is not asked what is there."""

    def offset(self, _: bytes) -> int:
        """A place behind the head of a pack."""
        return _SIGN.size


def index_of(data: bytes, most: int) -> bytes:
    """An index file (version 2) for a pack that came without one; it may have `most` objects. Raises BadPack,
    and TooLarge."""
    found: dict[bytes, int] = {}
    pack = Pack(data, _Found(found))
    if pack.count > most:
        raise BadPack(f"it has more than {most:,} objects")
    if hashlib.sha1(memoryview(data)[:-20], usedforsecurity=False).digest() != data[-20:]:
        raise BadPack("its checksum is another one than it says")
    waiting = list(pack.entries())
    while waiting:
        left = []
        for offset in waiting:
            try:
                kind, content = pack.read(offset)
            except BadPack:
                left.append(offset)  # a delta of an object whose id is not known yet
                continue
            header = b"%s %d\0" % (KINDS[kind], len(content))
            found[hashlib.sha1(header + content, usedforsecurity=False).digest()] = offset
        if len(left) == len(waiting):
            pack.read(left[0])  # it says what is wrong
        waiting = left
    return _index_file(sorted(found.items()))


class _Found:
    """What is known of a pack while its index is made."""

    def __init__(self, found: dict[bytes, int]) -> None:
        self._found = found

    def offset(self, id_: bytes) -> int | None:
        """Where the object of an id (20 bytes) begins, None where it isn't known."""
        return self._found.get(id_)


def _index_file(objects: Sequence[tuple[bytes, int]]) -> bytes:
    fan = [0] * 256
    for id_, _ in objects:
        fan[id_[0]] += 1
    sums = [sum(fan[: place + 1]) for place in range(256)]
    ids = b"".join(id_ for id_, _ in objects)
    offsets = struct.pack(f">{len(objects)}L", *(offset for _, offset in objects))
    return _INDEX_SIGN + struct.pack(">256L", *sums) + ids + bytes(4 * len(objects)) + offsets + bytes(40)


def _count(data: memoryview) -> int:
    if len(data) < _SIGN.size + 20:
        raise BadPack("a pack ends too early")
    sign, version, count = _SIGN.unpack_from(data)
    if sign != b"PACK" or version not in (2, 3):
        raise BadPack("a pack is none, or of a kind that can't be read")
    return int(count)


def _sizes(delta: bytes) -> tuple[int, int]:
    """The sizes of what a delta is made for and of what it makes, from its beginning."""
    base, at = _number(delta, 0)
    made, _ = _number(delta, at)
    return base, made


def _number(data: bytes, at: int) -> tuple[int, int]:
    number = shift = 0
    while True:
        if at >= len(data) or shift > 60:
            raise BadPack("a delta of a pack is damaged")
        byte = data[at]
        number |= (byte & 127) << shift
        at, shift = at + 1, shift + 7
        if not byte & 128:
            return number, at


def patched(base: bytes, delta: bytes) -> bytes:  # noqa: C901 - a format of bytes, read in one go
    """What a delta makes of an object: pieces of it, and bytes of the delta's own. Raises BadPack, and
    TooLarge."""
    base_size, at = _number(delta, 0)
    size, at = _number(delta, at)
    if size > LARGEST_OBJECT:
        raise TooLarge
    if base_size != len(base):
        raise BadPack("a delta of a pack is for another object")
    made = bytearray()
    end = len(delta)
    try:
        while at < end:
            order = delta[at]
            at += 1
            if order & 128:
                start = length = 0
                for place in range(4):
                    if order & 1 << place:
                        start |= delta[at] << 8 * place
                        at += 1
                for place in range(3):
                    if order & 16 << place:
                        length |= delta[at] << 8 * place
                        at += 1
                length = length or 1 << 16
                if start + length > len(base):
                    raise BadPack("a delta of a pack is damaged")
                made += base[start : start + length]
            elif order and at + order <= end:
                made += delta[at : at + order]
                at += order
            else:
                raise BadPack("a delta of a pack is damaged")
            if len(made) > size:
                raise BadPack("a delta of a pack makes more than it says")
    except IndexError:
        raise BadPack("a delta of a pack is damaged") from None
    if len(made) != size:
        raise BadPack("a delta of a pack makes less than it says")
    return bytes(made)
