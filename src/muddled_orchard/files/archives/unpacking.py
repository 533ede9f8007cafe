"""Archives and bundles taken apart in memory: nothing of them is written to a disk, and nothing followed.

What it is, is told from how the file begins, not from its name. Every step is bounded, so that a small
file can't unpack to a large one.
"""

from __future__ import annotations

import functools
import io
import lzma
import os
import stat
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, BinaryIO, Protocol

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.submission.file_source import Content, Kind, MemorySource

_BLOCK = 512
_CHUNK = 1 << 18
_PIECE = 1 << 16
_LONGEST_HEADER, _LONGEST_HEADERS = 1 << 16, 1 << 20
_MOST_FOR_XZ = 72 << 20  # `xz -9` needs 65 MiB
_ZIP_ENTRY = b"PK\x01\x02"
_ZIP = b"PK\x03\x04"
_EMPTY_ZIP = b"PK\x05\x06"
_GZIP = b"\x1f\x8b"
_XZ = b"\xfd7zXZ\x00"
_BUNDLE = (b"# v2 git bundle\n", b"# v3 git bundle\n")
_TAR_KINDS: dict[bytes, Kind] = {b"0": "file", b"\0": "file", b"5": "folder", b"2": "link", b"1": "other"}

# Name, mode, size, kind, link, magic and prefix (pax(1), ustar interchange format).
_HEADER = struct.Struct("100s8s16x12s20xc100s6s82x155s12x")

_ODD = frozenset({"", ".", ".."})
_DEEPEST = 200

_Member = tuple[str, Kind, Content, bool]


def is_archive(path: Path) -> bool:
    """Whether a file begins as an archive or a bundle does."""
    try:
        with path.open("rb") as file:
            start = file.read(_BLOCK)
    except OSError:
        return False
    return start.startswith((_ZIP, _EMPTY_ZIP, _GZIP, _XZ, *_BUNDLE)) or start[257:262] == b"ustar"


def unpacked(path: Path, bounds: Bounds) -> MemorySource:
    """What an archive or bundle holds. Raises Exceeded where it is too large, damaged or neither."""
    try:
        # Opening a pipe must not wait for whoever writes into it.
        descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
        with os.fdopen(descriptor, "rb") as file:
            about = os.fstat(descriptor)
            if not stat.S_ISREG(about.st_mode):
                raise Exceeded("it is no plain file")
            if about.st_size > bounds.size:
                raise Exceeded(f"it is larger than {in_mib(bounds.size)}")
            return _unpacked(file, about.st_size, bounds)
    except OSError as error:
        raise Exceeded(f"it can't be read: {error.strerror}") from None


def unpacked_bytes(data: bytes, bounds: Bounds) -> MemorySource:
    """The same from the file's content."""
    return _unpacked(io.BytesIO(data), len(data), bounds)


def _unpacked(file: BinaryIO, size: int, bounds: Bounds) -> MemorySource:
    start = file.read(_BLOCK)
    file.seek(0)
    try:
        if start.startswith(_BUNDLE):
            from muddled_orchard.files.archives.bundle import unbundled  # few are

            return unbundled(file.read(), bounds)
        if start.startswith((_ZIP, _EMPTY_ZIP)):
            return _placed(_zip_members(file, size, bounds), bounds)
        return _placed(_tar_members(file, start, size, bounds), bounds)
    except lzma.LZMAError as error:
        if "memory" in str(error).lower():
            raise Exceeded(
                "unpacking it takes more memory than it may (xz -6 packs it so that it works)"
            ) from None
        raise _damaged(error) from None
    except (tarfile.TarError, zipfile.BadZipFile, zlib.error, EOFError, ValueError, struct.error) as error:
        raise _damaged(error) from None
    except (
        NotImplementedError,
        RuntimeError,
    ) as error:  # zipfile: encrypted, or packed in a way it can't read
        raise Exceeded(f"the archive can't be unpacked: {brief(str(error), 100)}") from None


def _damaged(error: Exception) -> Exceeded:
    return Exceeded(f"the archive is damaged: {brief(str(error), 100) or type(error).__name__}")


def _placed(members: Iterator[_Member], bounds: Bounds) -> MemorySource:
    place = MemorySource()
    size = 0
    for number, (name, kind, data, executable) in enumerate(members, start=1):
        size += len(data)
        if number > bounds.entries:
            raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
        if size > bounds.size:
            raise Exceeded(f"unpacked it is larger than {in_mib(bounds.size)}")
        path = clean(name)
        if path:
            place.add(path, kind, data, executable=executable)
        if place.folders > bounds.entries:
            raise Exceeded(f"the archive has more than {bounds.entries:,} folders")
    return place


def clean(name: str) -> str:
    """A member's path below the archive's top; raises Exceeded where it leads out of it."""
    parts = name.split("/")
    if _ODD.isdisjoint(parts) and len(parts) < _DEEPEST and "\\" not in name and ":" not in name:
        return name  # nearly all are like this
    parts = [part for part in name.replace("\\", "/").split("/") if part not in ("", ".")]
    if name.startswith(("/", "\\")) or ".." in parts or (parts and parts[0].endswith(":")):
        raise Exceeded("the archive holds a path that leads out of it")
    if len(parts) > _DEEPEST:
        raise Exceeded("the archive holds folders that are nested too deeply")
    return "/".join(parts)


def _tar_members(file: BinaryIO, start: bytes, size: int, bounds: Bounds) -> Iterator[_Member]:
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


def _plain_tar(raw: bytes | bytearray, bounds: Bounds, *, checked: bool) -> list[_Member] | None:
    """The members of an archive that has nothing but plain headers; None where it has more.

    Nearly all are like this, and tarfile takes several times as long to say the same. `checked`: it came out
    of a compressed file, whose own checksum was right.
    """
    members: list[_Member] = []
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
    said = header[148:156].rstrip(b" \0").lstrip()
    return said.isdigit() and int(said, 8) == sum(header) - sum(header[148:156]) + 8 * 32


def _any_tar(raw: bytes | bytearray, bounds: Bounds) -> Iterator[_Member]:
    _refuse_long_headers(raw)
    view = memoryview(raw)
    with tarfile.open(
        fileobj=io.BufferedReader(_View(view)), mode="r:", encoding="utf-8", errors="surrogateescape"
    ) as archive:
        for number, member in enumerate(archive):
            if number > bounds.entries:
                raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
            archive.members = []  # type: ignore[attr-defined]  # it would remember all of them
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
        _, _, said, flag, _, _, _ = _HEADER.unpack_from(raw, at)
        try:
            size = _octal(said) if not said[0] & 0x80 else int.from_bytes(said[1:], "big")
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


def _zip_members(file: BinaryIO, packed: int, bounds: Bounds) -> Iterator[_Member]:
    limit = min(bounds.size, max(bounds.free, bounds.ratio * packed))
    refuse_many(file, bounds)
    too_large = Exceeded(f"unpacked it is larger than {in_mib(limit)}, far more than its size lets expect")
    with zipfile.ZipFile(file) as archive:
        if sum(member.file_size for member in archive.infolist()) > limit:
            raise too_large
        size = 0
        for member in archive.infolist():
            if member.is_dir():
                yield member.filename, "folder", b"", False
                continue
            if member.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
                raise Exceeded(
                    "the archive is packed in a way that is not read: zip it with deflate, as usual"
                )
            parts = []
            with archive.open(member) as stream:
                while part := stream.read(_PIECE):
                    size += len(part)
                    if size > limit:
                        raise too_large
                    parts.append(part)
            mode = member.external_attr >> 16
            kind: Kind = "link" if stat.S_ISLNK(mode) else "file"
            yield member.filename, kind, b"".join(parts), bool(mode & stat.S_IXUSR)


def refuse_many(file: BinaryIO, bounds: Bounds) -> None:
    """Raise Exceeded where a zip file has too many entries: zipfile makes a record of each before it can be
    asked. Each begins with a sign of four bytes that hardly ever occurs elsewhere."""
    count = 0
    rest = b""
    while part := file.read(_CHUNK):
        count += (rest + part).count(_ZIP_ENTRY)
        if count > bounds.entries + 16:
            raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
        rest = part[-3:]
    file.seek(0)
