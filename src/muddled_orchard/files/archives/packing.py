"""Archives that are byte for byte the same whoever makes them, wherever and whenever."""

from __future__ import annotations

from collections.abc import Mapping

from muddled_orchard.core.git.trees import File
from muddled_orchard.files.archives.forms import PACKED

FORMATS = (*PACKED, "folder")
"""What a learner can get."""


def pack(files: Mapping[str, File], top: str, form: str) -> bytes:
    """An archive (one of PACKED) of these files, all below a folder `top`."""
    packed = PACKED[form].pack
    assert packed is not None  # noqa: S101 - PACKED has those alone that can
    return packed(sorted(files.items()), top)
