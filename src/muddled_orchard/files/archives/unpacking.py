"""Archives and bundles taken apart in memory: nothing of them is written to a disk, and nothing followed.

Every step is bounded, so that a small file can't unpack to a large one.
"""

from __future__ import annotations

import io
import os
import stat
from pathlib import Path
from typing import BinaryIO

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.submission.file_source import MemorySource
from muddled_orchard.files.archives.forms import FORMS, TAR

_START = 512
"""How many bytes tell what a file is."""


def is_archive(path: Path) -> bool:
    """Whether a file begins as an archive or a bundle does."""
    try:
        with path.open("rb") as file:
            start = file.read(_START)
    except OSError:
        return False
    return any(form.begins(start) for form in FORMS)


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
    start = file.read(_START)
    file.seek(0)
    form = next((form for form in FORMS if form.begins(start)), TAR)
    return form.unpack(file, start, size, bounds)
