"""Archives that are byte for byte the same whoever makes them, wherever and whenever."""

from __future__ import annotations

import functools
import gzip
import io
import os
import stat
import tarfile
import zipfile
from collections.abc import Mapping

from muddled_orchard.core.git.trees import LINK, File

FORMATS = ("tar.gz", "zip", "folder")

_BLOCK = 512

_EFFORT = 3
"""How hard to compress, 1 to 9. Most of a repository is compressed already: twice the time gains 3 %."""

DATED = 1_577_836_800
"""The time of every file in an archive: 2020-01-01. Unpacking complains of times that are still to come."""


def pack(files: Mapping[str, File], top: str, form: str) -> bytes:
    """An archive (`tar.gz` or `zip`) of these files, all below a folder `top`."""
    ordered = sorted(files.items())
    return _zip(ordered, top) if form == "zip" else _tar(ordered, top)


def _tar(files: list[tuple[str, File]], top: str) -> bytes:
    parts = []
    for path, file in files:
        if file.mode == LINK:
            parts.append(_header(f"{top}/{path}", 0o777, 0, os.fsdecode(file.data)))
        else:
            size = len(file.data)
            parts += (_header(f"{top}/{path}", file.mode & 0o777, size), file.data, b"\0" * (-size % _BLOCK))
    parts.append(b"\0" * (2 * _BLOCK))
    return gzip.compress(b"".join(parts), _EFFORT, mtime=0)


# The headers are put together here since TarFile spends most of its time on other things; most files of a
# class have the same.
@functools.lru_cache(maxsize=4096)
def _header(name: str, mode: int, size: int, link: str = "") -> bytes:
    about = tarfile.TarInfo(name)
    about.mtime, about.mode, about.size = DATED, mode, size
    if link:
        about.type, about.linkname = tarfile.SYMTYPE, link
    return about.tobuf(tarfile.PAX_FORMAT, "utf-8", "surrogateescape")


def _zip(files: list[tuple[str, File]], top: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=_EFFORT) as archive:
        for path, file in files:
            about = zipfile.ZipInfo(f"{top}/{path}", (2020, 1, 1, 0, 0, 0))
            about.create_system = 3  # Unix: what the mode below is written for
            kind = stat.S_IFLNK | 0o777 if file.mode == LINK else stat.S_IFREG | file.mode & 0o777
            about.external_attr = kind << 16
            about.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(about, file.data)
    return out.getvalue()
