"""Archives that are byte for byte the same whoever makes them, wherever and whenever."""

from __future__ import annotations

import tarfile
from collections.abc import Mapping
from pathlib import Path

from muddled_orchard.core.git.trees import File
from muddled_orchard.files.archives.forms import PACKED

FOLDER, BARE = "folder", "bare"

FORMATS = (*PACKED, FOLDER, BARE)
"""What a learner can get: an archive, a folder, or a bare repository for a Git server."""


def read_packed(archive: Path, name: str) -> bytes | None:
    """A file in an archive that we packed in the first of FORMATS; None where it can't be had."""
    try:
        with tarfile.open(archive) as opened:
            found = opened.extractfile(name)
            return found.read() if found else None
    except (OSError, EOFError, KeyError, tarfile.TarError):
        return None


def pack(files: Mapping[str, File], top: str, form: str) -> bytes:
    """An archive (one of PACKED) of these files, all below a folder `top`."""
    packed = PACKED[form].pack
    assert packed is not None  # noqa: S101 - PACKED has those alone that can
    return packed(sorted(files.items()), top)
