"""Objects of a foreign repository, read one by one as bytes and in bounded memory.

Each is read from where the submission lies: a loose file, or a place in a pack. What is too large is refused
by the size that it says, before it is inflated, nothing is inflated beyond that, and what comes out is
checked against its id. No library but zlib sees any of it.
"""

from __future__ import annotations

import hashlib
import zlib
from typing import Any

from muddled_orchard.core.base.limits import (
    LARGEST_COMMIT,
    LARGEST_OBJECT,
    LARGEST_PACKS,
    LARGEST_TREE,
    Exceeded,
    in_mib,
)
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.packs import BLOB, COMMIT, KINDS, TAG, TREE, BadPack, Pack, PackIndex, TooLarge
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.vcs.write.memory import loose_path

_NUMBERS = {name: number for number, name in KINDS.items()}
_LARGEST = {COMMIT: LARGEST_COMMIT, TREE: LARGEST_TREE, BLOB: LARGEST_OBJECT, TAG: LARGEST_COMMIT}
_SAID = {COMMIT: "a commit", TREE: "a folder that its commits name", BLOB: "a file", TAG: "a tag"}
_PACK = pattern(r"(pack-[0-9a-f]{40})\.pack")
_HEADER = 64

EMPTY_TREE = hashlib.sha1(b"tree 0\0", usedforsecurity=False).hexdigest()


class ForeignObjects:
    """What lies below an `objects` folder. Raises Exceeded where its packs are too large."""

    def __init__(self, objects: FileSource) -> None:
        self._objects = objects
        self._names = _pack_names(objects)
        self._packs = list(_packs(objects))

    def read(self, id_: str) -> tuple[int, bytes] | None:
        """The kind and the content of an object; None where it isn't there, or isn't what its id says. Raises
        Exceeded where it is too large. The tree without entries is there wherever Git is, and often in no
        file."""
        if id_ == EMPTY_TREE:
            return TREE, b""
        try:
            data = self._loose(id_)
            if data is None and self._objects.kind(loose_path(id_)) == "file":
                raise Exceeded(f"a file of it is larger than {in_mib(LARGEST_OBJECT)}")
            if data is not None:
                kind, size, begun, inflating = _opened(data)
                self._refuse(kind, size)
                content = _inflated(begun, size, inflating)
            else:
                pack, place = self._packed(id_)
                kind, size = pack.about(place)
                self._refuse(kind, size)
                kind, content = pack.read(place)
        except (BadPack, KeyError, zlib.error):
            return None
        except TooLarge:
            raise Exceeded(
                f"an object of it needs others that are larger than {in_mib(LARGEST_OBJECT)}"
            ) from None
        header = b"%s %d\0" % (KINDS[kind], len(content))
        right = hashlib.sha1(header + content, usedforsecurity=False).hexdigest() == id_
        return (kind, content) if right else None

    def has(self, id_: str) -> bool:
        """Whether there is such a file, or a place in a pack; it isn't read."""
        if self._objects.kind(loose_path(id_)) == "file":
            return True
        try:
            self._packed(id_)
        except (BadPack, KeyError):
            return False
        return True

    def _refuse(self, kind: int, size: int) -> None:
        if size > _LARGEST[kind]:
            raise Exceeded(f"{_SAID[kind]} of it is larger than {in_mib(_LARGEST[kind])}")

    def _loose(self, id_: str) -> bytes | None:
        # Noise does not get smaller by packing, and a little larger.
        return self._objects.read(loose_path(id_), LARGEST_OBJECT + (LARGEST_OBJECT >> 8))

    def _packed(self, id_: str) -> tuple[Pack, int]:
        for pack in self._packs:
            if (place := pack.find(bytes.fromhex(id_))) is not None:
                return pack, place
        if (names := _pack_names(self._objects)) != self._names:
            # Somebody packed anew what lay there as files when it was looked at.
            self._names, self._packs = names, list(_packs(self._objects))
            return self._packed(id_)
        raise KeyError(id_)


def _pack_names(objects: FileSource) -> list[str]:
    return sorted(entry.name for entry in objects.entries("pack") if _PACK.fullmatch(entry.name))


def _packs(objects: FileSource) -> list[Pack]:
    packs = []
    size = 0
    for entry in objects.entries("pack"):
        named = _PACK.fullmatch(entry.name)
        if named is None or entry.kind != "file":
            continue
        size += entry.size
        if size > LARGEST_PACKS:
            raise Exceeded(f"its packs are larger than {in_mib(LARGEST_PACKS)}")
        data = objects.read(f"pack/{entry.name}", LARGEST_PACKS)
        index = objects.read(f"pack/{named[1]}.idx", LARGEST_PACKS - size)
        if data is not None and index is not None:
            size += len(index)
            try:
                packs.append(Pack(data, PackIndex(index)))
            except BadPack:
                continue
    return packs


def _opened(data: bytes) -> tuple[int, int, bytes, Any]:
    """The kind and size that a loose object says, the first of its content, and what inflates the rest."""
    inflating = zlib.decompressobj()
    kind, _, rest = inflating.decompress(data, _HEADER).partition(b" ")
    size, zero, begun = rest.partition(b"\0")
    if kind not in _NUMBERS or not zero or not size.isdigit():
        raise KeyError
    return _NUMBERS[kind], int(size), begun, inflating


def _inflated(begun: bytes, size: int, inflating: Any) -> bytes:
    content = begun + inflating.decompress(inflating.unconsumed_tail, max(1, size - len(begun)) + _HEADER)
    if len(content) != size or not inflating.eof:
        raise KeyError
    return bytes(content)
