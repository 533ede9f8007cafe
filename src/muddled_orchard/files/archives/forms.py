"""The forms that a submission or a hand-out can have as a file: a module each, and one line here.

What a file is, is told from how it begins, not from its name. To add a form, write its module (`ENDINGS`,
`begins`, `unpack`, and `pack` where hand-outs can have it) and its line in `FORMS`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import BinaryIO

from msgspec import Struct

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.git.trees import File
from muddled_orchard.core.submission.file_source import MemorySource
from muddled_orchard.files.archives import bundle, tar, zip


class Form(Struct, frozen=True):
    """A form of files: the endings of their names, whether one begins so, what it holds, and how files are
    packed below a folder (None where they can't be)."""

    endings: Sequence[str]
    begins: Callable[[bytes], bool]
    unpack: Callable[[BinaryIO, bytes, int, Bounds], MemorySource]
    pack: Callable[[Sequence[tuple[str, File]], str], bytes] | None = None


TAR = Form(tar.ENDINGS, tar.begins, tar.unpack, tar.pack)
FORMS = (
    Form(bundle.ENDINGS, bundle.begins, bundle.unpack),
    Form(zip.ENDINGS, zip.begins, zip.unpack, zip.pack),
    TAR,
)
"""Every form. What none of them recognises is read as a tar, which may begin with anything."""

ENDINGS = tuple(ending for form in FORMS for ending in form.endings)
"""How the names of such files end."""

PACKED: Mapping[str, Form] = {"tar.gz": TAR, "zip": FORMS[1]}
"""The forms that hand-outs can have, by the ending of their files."""
