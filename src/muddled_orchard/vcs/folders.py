"""Folders for what must lie on a disk for a while."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def temporary_folder() -> Iterator[Path]:
    """A private folder that is gone afterwards; in memory where the system offers that, with room, since
    workshops and quarantines are many small files."""
    folder = Path(tempfile.mkdtemp(prefix="muddled-", dir=_memory()))
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _memory() -> str | None:
    memory = Path("/dev/shm")  # noqa: S108 - a fresh private folder is made in it
    try:
        return str(memory) if shutil.disk_usage(memory).free > 4 << 30 else None
    except OSError:
        return None
