"""tar, plain or compressed by gzip or xz: taken apart in memory, and packed the same everywhere.

What one file begins like is asked in every run, so what unpacks and packs them is loaded when that is done.
"""

from __future__ import annotations

import functools
import io
import os
import stat
import struct
import zlib
from collections.abc import Callable, Iterator, Sequence
from typing import Any, BinaryIO, Protocol

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.git.trees import LINK, File
from muddled_orchard.core.submission.file_source import Content, Kind, MemorySource
from muddled_orchard.files.archives.members import DATED, EFFORT, Member, damaged, placed

ENDINGS = (".tar.gz", ".tar.xz", ".tgz", ".txz", ".tar")
_BLOCK = 512
_CHUNK = 1 << 18
_LONGEST_HEADER, _LONGEST_HEADERS = 1 << 16, 1 << 20
_MOST_FOR_XZ = 72 << 20  # `xz -9` needs 65 MiB
_GZIP = b"\x1f\x8b"
_XZ = b"\xfd7zXZ\x00"
_TAR_KINDS: dict[bytes, Kind] = {b"0": "file", b"\0": "file", b"5": "folder", b"2": "link", b"1": "other"}

# Name, mode, size, kind, link, magic and prefix (pax(1), ustar interchange format).
_HEADER = struct.Struct("100s8s16x12s20xc100s6s82x155s12x")


def begins(start: bytes) -> bool:
    """Whether a file begins so; `start` are its first 512 bytes."""
    return start.startswith((_GZIP, _XZ)) or start[257:262] == b"ustar"


def unpack(file: BinaryIO, start: bytes, size: int, bounds: Bounds) -> MemorySource:
    """What it holds. Raises Exceeded where that is too much, or no tar."""
    import lzma
    import tarfile

    try:
        return placed(_tar_members(file, start, size, bounds), bounds)
    except lzma.LZMAError as error:
        if "memory" in str(error).lower():
            raise Exceeded(
                "unpacking it takes more memory than it may (xz -6 packs it so that it works)"
            ) from None
        raise damaged(error) from None
    except (tarfile.TarError, zlib.error, EOFError, ValueError, struct.error) as error:
        raise damaged(error) from None


def pack(files: Sequence[tuple[str, File]], top: str) -> bytes:
    """A `tar.gz` of these files, all below a folder `top`."""
    parts = []
    for path, file in files:
        if file.mode == LINK:
            parts.append(_header(f"{top}/{path}", 0o777, 0, os.fsdecode(file.data)))
        else:
            size = len(file.data)
            parts += (_header(f"{top}/{path}", file.mode & 0o777, size), file.data, b"\0" * (-size % _BLOCK))
    parts.append(b"\0" * (2 * _BLOCK))
    import gzip

    return gzip.compress(b"".join(parts), EFFORT, mtime=0)


# The headers are put together here since TarFile spends most of its time on other things; most files of a
# class have the same.
@functools.lru_cache(maxsize=4096)
def _header(name: str, mode: int, size: int, link: str = "") -> bytes:
    import tarfile

    about = tarfile.TarInfo(name)
    about.mtime, about.mode, about.size = DATED, mode, size
    if link:
        about.type, about.linkname = tarfile.SYMTYPE, link
    return about.tobuf(tarfile.PAX_FORMAT, "utf-8", "surrogateescape")


def _tar_members(file: BinaryIO, start: bytes, size: int, bounds: Bounds) -> Iterator[Member]:
    packed = start.startswith((_GZIP, _XZ))
    raw = _inflated(file, start, size, bounds) if packed else file.read()
    if raw[257:262] != b"ustar" and not _is_old_tar(raw):
        raise Exceeded("it is neither an archive (tar, tar.gz, tar.xz, zip) nor a bundle")
    plain = _plain_tar(raw, bounds, checked=packed)
    return iter(plain) if plain is not None else _any_tar(raw, bounds)


def _is_old_tar(raw: bytes | bytearray) -> bool:
    return len(raw) >= _BLOCK and _checked(raw[:_BLOCK])


def _inflated(file: BinaryIO, start: bytes, size: int, bounds: Bounds) -> bytearray:
    """The tar inside, inflated no further than it may be."""
    limit = min(bounds.size, max(bounds.free, bounds.ratio * size))
    if start.startswith(_GZIP):
        return _grown(file, lambda: _Gzip(zlib.decompressobj(31)), limit)
    import lzma

    # What it says of the memory that it needs is a bound of its own.
    return _grown(file, lambda: lzma.LZMADecompressor(memlimit=_MOST_FOR_XZ), limit)


class _Stream(Protocol):
    """What inflates one compressed stream, as LZMADecompressor does."""

    eof: bool
    needs_input: bool
    unused_data: bytes

    def decompress(self, data: bytes, max_length: int) -> bytes: ...


class _Gzip:
    """A stream of zlib's with the manners of LZMADecompressor."""

    def __init__(self, stream: Any) -> None:
        self._stream = stream

    @property
    def eof(self) -> bool:
        return bool(self._stream.eof)

    @property
    def needs_input(self) -> bool:
        return not self._stream.unconsumed_tail

    @property
    def unused_data(self) -> bytes:
        found: bytes = self._stream.unused_data
        return found

    def decompress(self, data: bytes, max_length: int) -> bytes:
        found: bytes = self._stream.decompress(self._stream.unconsumed_tail + data, max_length)
        return found


def _grown(file: BinaryIO, begin: Callable[[], Any], limit: int) -> bytearray:
    out = bytearray()
    data = file.read(_CHUNK)
    while data:  # several streams may stand one after the other
        stream: _Stream = begin()
        while not stream.eof:
            given = data if stream.needs_input else b""
            part = stream.decompress(given, min(_CHUNK, limit - len(out) + 1))
            out += part
            if len(out) > limit:
                raise Exceeded(
                    f"unpacked it is larger than {in_mib(limit)}, far more than its size lets expect"
                )
            if stream.needs_input and not stream.eof:
                data = file.read(_CHUNK)
                if not data and not part:
                    raise EOFError("it ends too early")
        data = stream.unused_data.lstrip(b"\0")
        while not data and (more := file.read(_CHUNK)):
            data = more.lstrip(b"\0")
    return out


def _plain_tar(raw: bytes | bytearray, bounds: Bounds, *, checked: bool) -> list[Member] | None:
    """The members of an archive that has nothing but plain headers; None where it has more.

    Nearly all are like this, and tarfile takes several times as long to say the same. `checked`: it came out
    of a compressed file, whose own checksum was right.
    """
    members: list[Member] = []
    at = 0
    view = memoryview(raw)  # what files hold is not copied
    while at + _BLOCK <= len(raw):
        if len(members) > bounds.entries:
            return members  # it is refused for that
        name, mode, size, flag, link, magic, prefix = _HEADER.unpack_from(raw, at)
        if not name[0]:
            return members
        kind = _TAR_KINDS.get(flag)
        if kind is None or not (checked or _checked(raw[at : at + _BLOCK])):
            return None
        at += _BLOCK
        path = _text(name)
        if prefix[0] and magic == b"ustar\0":
            path = f"{_text(prefix)}/{path}"
        data: Content = link.rstrip(b"\0") if kind == "link" else b""
        try:
            if kind == "file":
                end = at + _octal(size)
                if not at <= end <= len(raw):
                    return None
                data = view[at:end]
                at = end + -end % _BLOCK
            members.append((path, kind, data, bool(_octal(mode) & stat.S_IXUSR)))
        except ValueError:  # a number that is not plain either
            return None
    return None


@functools.lru_cache(maxsize=1024)  # few sizes and modes are ever met
def _octal(field: bytes) -> int:
    return int(field.rstrip(b" \0"), 8)


def _text(field: bytes) -> str:
    return field.partition(b"\0")[0].decode("utf-8", "surrogateescape")


def _checked(header: bytes | bytearray) -> bool:
    """Whether a header's checksum is right: the sum of its bytes, with blanks where the sum itself stands."""
    checksum = header[148:156].rstrip(b" \0").lstrip()
    return checksum.isdigit() and int(checksum, 8) == sum(header) - sum(header[148:156]) + 8 * 32


def _any_tar(raw: bytes | bytearray, bounds: Bounds) -> Iterator[Member]:
    import tarfile

    _refuse_long_headers(raw)
    view = memoryview(raw)
    with tarfile.open(
        fileobj=io.BufferedReader(_View(view)), mode="r:", encoding="utf-8", errors="surrogateescape"
    ) as archive:
        for number, member in enumerate(archive):
            if number > bounds.entries:
                raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
            archive.members = []  # type: ignore[attr-defined]  # typeshed lacks it; it would remember all of them
            if member.issparse():
                raise Exceeded("the archive holds a sparse file; pack it again without holes")
            kind: Kind = (
                "file"
                if member.isreg()
                else "folder"
                if member.isdir()
                else "link"
                if member.issym()
                else "other"
            )
            data: Content = b""
            if kind == "file":
                end = member.offset_data + member.size
                if end > len(raw):
                    raise EOFError("it ends too early")
                data = view[member.offset_data : end]
            elif kind == "link":
                data = member.linkname.encode("utf-8", "surrogateescape")
            yield member.name, kind, data, bool(member.mode & stat.S_IXUSR)


def _refuse_long_headers(raw: bytes | bytearray) -> None:
    """Raise Exceeded where headers that only say more of a file (pax(1), long names) are longer than any need
    be: tarfile takes many times their size for them."""
    at = 0
    in_all = 0
    while at + _BLOCK <= len(raw):
        _, _, size_field, flag, _, _, _ = _HEADER.unpack_from(raw, at)
        try:
            size = _octal(size_field) if not size_field[0] & 0x80 else int.from_bytes(size_field[1:], "big")
        except ValueError:
            size = 0
        if flag in (b"x", b"g", b"X", b"L", b"K"):
            in_all += size
            if size > _LONGEST_HEADER or in_all > _LONGEST_HEADERS:
                raise Exceeded("the archive holds headers that are longer than any need be")
        at += _BLOCK + size + -size % _BLOCK


class _View(io.RawIOBase):
    """Bytes in memory as a file, without a copy."""

    def __init__(self, view: memoryview) -> None:
        self._view = view
        self._at = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        self._at = offset + (0, self._at, len(self._view))[whence]
        return self._at

    def readinto(self, buffer: Any) -> int:
        given = self._view[self._at : self._at + len(buffer)]
        buffer[: len(given)] = given
        self._at += len(given)
        return len(given)
