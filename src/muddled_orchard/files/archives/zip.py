"""zip, stored or deflated: taken apart in memory, and packed the same everywhere."""

from __future__ import annotations

import io
import stat
import struct
import zlib
from collections.abc import Iterator, Sequence
from typing import BinaryIO

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.git.trees import LINK, File
from muddled_orchard.core.submission.file_source import Kind, MemorySource
from muddled_orchard.files.archives.members import EFFORT, Member, damaged, placed

ENDINGS = (".zip",)
_CHUNK = 1 << 18
_PIECE = 1 << 16
_ZIP_ENTRY = b"PK\x01\x02"
_ZIP = b"PK\x03\x04"
_EMPTY_ZIP = b"PK\x05\x06"


def begins(start: bytes) -> bool:
    """Whether a file begins so."""
    return start.startswith((_ZIP, _EMPTY_ZIP))


def unpack(file: BinaryIO, _: bytes, size: int, bounds: Bounds) -> MemorySource:
    """What it holds. Raises Exceeded where that is too much, or damaged."""
    import zipfile  # as in `tar`: only where it is done

    try:
        return placed(_zip_members(file, size, bounds), bounds)
    except (zipfile.BadZipFile, zlib.error, EOFError, ValueError, struct.error) as error:
        raise damaged(error) from None
    except (NotImplementedError, RuntimeError) as error:  # encrypted, or packed in a way it can't read
        raise Exceeded(f"the archive can't be unpacked: {brief(str(error), 100)}") from None


def pack(files: Sequence[tuple[str, File]], top: str) -> bytes:
    """A zip file of these files, all below a folder `top` (empty: none)."""
    import zipfile

    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=EFFORT) as archive:
        for path, file in files:
            about = zipfile.ZipInfo(f"{top}/{path}" if top else path, (2020, 1, 1, 0, 0, 0))
            about.create_system = 3  # Unix: what the mode below is written for
            kind = stat.S_IFLNK | 0o777 if file.mode == LINK else stat.S_IFREG | file.mode & 0o777
            about.external_attr = kind << 16
            about.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(about, file.data)
    return out.getvalue()


def _zip_members(file: BinaryIO, packed: int, bounds: Bounds) -> Iterator[Member]:
    import zipfile

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
