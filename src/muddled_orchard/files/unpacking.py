"""Archives and bundles taken apart in memory: nothing of them is written to a disk, and nothing followed.

What it is, is told from how the file begins, not from its name. Every step is bounded, so that a small
file can't unpack to a large one.
"""

from __future__ import annotations

import functools
import io
import lzma
import stat
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path

from muddled_orchard.core.bounds import Bounds, Exceeded
from muddled_orchard.core.places import Kind, MemoryPlace

_BLOCK = 512
_CHUNK = 1 << 20
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

_Member = tuple[str, Kind, bytes, bool]


def is_archive(path: Path) -> bool:
    """Whether a file begins as an archive or a bundle does."""
    try:
        with path.open("rb") as file:
            start = file.read(_BLOCK)
    except OSError:
        return False
    return start.startswith((_ZIP, _EMPTY_ZIP, _GZIP, _XZ, *_BUNDLE)) or start[257:262] == b"ustar"


def unpacked(path: Path, bounds: Bounds) -> MemoryPlace:
    """What an archive or bundle holds. Raises Exceeded where it is too large, damaged or neither."""
    try:
        if path.stat().st_size > bounds.size:
            raise Exceeded(f"it is larger than {bounds.size >> 20} MiB")
        data = path.read_bytes()
    except OSError as error:
        raise Exceeded(f"it can't be read: {error.strerror}") from None
    return unpacked_bytes(data, bounds)


def unpacked_bytes(data: bytes, bounds: Bounds) -> MemoryPlace:
    """The same from the file's content."""
    try:
        if data.startswith(_BUNDLE):
            from muddled_orchard.files.bundle import unbundled  # what is behind it takes long to load

            return unbundled(data, bounds)
        members = (
            _zip_members(data, bounds) if data.startswith((_ZIP, _EMPTY_ZIP)) else _tar_members(data, bounds)
        )
        return _placed(members, bounds)
    except (tarfile.TarError, zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, ValueError) as error:
        raise Exceeded(
            f"the archive is damaged: {' '.join(str(error).split()) or type(error).__name__}"
        ) from None
    except (
        NotImplementedError,
        RuntimeError,
    ) as error:  # zipfile: encrypted, or packed in a way it can't read
        raise Exceeded(f"the archive can't be unpacked: {error}") from None


def _placed(members: Iterator[_Member], bounds: Bounds) -> MemoryPlace:
    place = MemoryPlace()
    size = 0
    for number, (name, kind, data, executable) in enumerate(members, start=1):
        size += len(data)
        if number > bounds.entries:
            raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
        if size > bounds.size:
            raise Exceeded(f"unpacked it is larger than {bounds.size >> 20} MiB")
        path = _clean(name)
        if path:
            place.add(path, kind, data, executable=executable)
    return place


def _clean(name: str) -> str:
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


def _tar_members(data: bytes, bounds: Bounds) -> Iterator[_Member]:
    raw = _inflated(data, bounds)
    if raw[257:262] != b"ustar" and not _is_old_tar(raw):
        raise Exceeded("it is neither an archive (tar, tar.gz, tar.xz, zip) nor a bundle")
    plain = _plain_tar(raw, checked=raw is not data)
    return iter(plain) if plain is not None else _any_tar(raw)


def _is_old_tar(raw: bytes) -> bool:
    return len(raw) >= _BLOCK and _checked(raw[:_BLOCK])


def _inflated(data: bytes, bounds: Bounds) -> bytes:
    """The tar inside, inflated no further than it may be."""
    limit = min(bounds.size, max(bounds.free, bounds.ratio * len(data)))
    if data.startswith(_GZIP):
        return _grown(data, lambda: zlib.decompressobj(31), limit)
    if data.startswith(_XZ):
        # What it says of the memory that it needs is a bound of its own.
        return _grown(data, lambda: lzma.LZMADecompressor(memlimit=256 << 20), limit)
    return data


def _grown(data: bytes, begin: Callable[[], object], limit: int) -> bytes:
    parts = []
    size = 0
    while data:  # several streams may stand one after the other
        stream: object = begin()
        first = True
        while first or not stream.eof:  # type: ignore[attr-defined]
            given = data if first else getattr(stream, "unconsumed_tail", b"")
            part = stream.decompress(given, min(_CHUNK, limit - size + 1))  # type: ignore[attr-defined]
            first = False
            size += len(part)
            if size > limit:
                raise Exceeded(
                    f"unpacked it is larger than {limit >> 20} MiB, far more than its size lets expect"
                )
            if not part and not stream.eof:  # type: ignore[attr-defined]
                raise EOFError("it ends too early")
            parts.append(part)
        data = stream.unused_data.lstrip(b"\0")  # type: ignore[attr-defined]
    return b"".join(parts)


def _plain_tar(raw: bytes, *, checked: bool) -> list[_Member] | None:
    """The members of an archive that has nothing but plain headers; None where it has more.

    Nearly all are like this, and tarfile takes several times as long to say the same. `checked`: it came out
    of a compressed file, whose own checksum was right.
    """
    members: list[_Member] = []
    at = 0
    while at + _BLOCK <= len(raw):
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
        data = link.rstrip(b"\0") if kind == "link" else b""
        try:
            if kind == "file":
                end = at + _octal(size)
                if not at <= end <= len(raw):
                    return None
                data = raw[at:end]
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


def _checked(header: bytes) -> bool:
    """Whether a header's checksum is right: the sum of its bytes, with blanks where the sum itself stands."""
    said = header[148:156].rstrip(b" \0").lstrip()
    return said.isdigit() and int(said, 8) == sum(header) - sum(header[148:156]) + 8 * 32


def _any_tar(raw: bytes) -> Iterator[_Member]:
    with tarfile.open(
        fileobj=io.BytesIO(raw), mode="r:", encoding="utf-8", errors="surrogateescape"
    ) as archive:
        for member in archive:
            kind: Kind = (
                "file"
                if member.isreg()
                else "folder"
                if member.isdir()
                else "link"
                if member.issym()
                else "other"
            )
            data = b""
            if kind == "file":
                if member.size > len(raw):
                    raise Exceeded("the archive is damaged: a file in it is larger than the whole")
                content = archive.extractfile(member)
                data = content.read() if content else b""
                if len(data) < member.size:
                    raise EOFError("it ends too early")
            elif kind == "link":
                data = member.linkname.encode("utf-8", "surrogateescape")
            yield member.name, kind, data, bool(member.mode & stat.S_IXUSR)


def _zip_members(data: bytes, bounds: Bounds) -> Iterator[_Member]:
    limit = min(bounds.size, max(bounds.free, bounds.ratio * len(data)))
    size = 0
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        if len(archive.infolist()) > bounds.entries:
            raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
        for member in archive.infolist():
            if member.is_dir():
                yield member.filename, "folder", b"", False
                continue
            with archive.open(member) as stream:
                content = stream.read(limit - size + 1)
            size += len(content)
            if size > limit:
                raise Exceeded(
                    f"unpacked it is larger than {limit >> 20} MiB, far more than its size lets expect"
                )
            mode = member.external_attr >> 16
            kind: Kind = "link" if stat.S_ISLNK(mode) else "file"
            yield member.filename, kind, content, bool(mode & stat.S_IXUSR)
