"""What a commit holds: paths, kinds of entries, contents; and which paths every system can hold."""

from __future__ import annotations

import re
from collections.abc import Mapping

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern

PLAIN_FILE, EXECUTABLE, LINK, SUBMODULE, FOLDER = 0o100644, 0o100755, 0o120000, 0o160000, 0o040000
"""Git's modes. Every entry of a tree has one of them."""

_KIND_BITS, _EXECUTABLE_BIT = 0o170000, 0o100


class EntryKind(Struct, frozen=True):
    """A kind of entry, by its mode: what it is called, and what stands before its content."""

    mode: int
    name: str
    shown: str = ""


KINDS = (
    EntryKind(PLAIN_FILE, "a file"),
    EntryKind(EXECUTABLE, "a file", "executable: "),
    EntryKind(LINK, "a link", "link to "),
    EntryKind(SUBMODULE, "a submodule"),
    EntryKind(FOLDER, "a folder"),
)
"""Everything that a tree can hold."""


def kind_of(mode: int) -> EntryKind:
    """The kind of entry that a mode stands for."""
    return next(kind for kind in KINDS if kind.mode == mode_as_git_means(mode))


def mode_as_git_means(mode: int) -> int:
    """A mode as Git means it: old versions wrote others for files."""
    kind = mode & _KIND_BITS
    return kind if kind in (FOLDER, LINK, SUBMODULE) else file_mode(executable=bool(mode & _EXECUTABLE_BIT))


def file_mode(*, executable: bool) -> int:
    """The mode of a file."""
    return EXECUTABLE if executable else PLAIN_FILE


def is_file(mode: int) -> bool:
    """Whether it is a file, executable or not; not a link, a submodule or a folder."""
    return mode & _KIND_BITS == PLAIN_FILE & _KIND_BITS


def are_alike(one: int, other: int) -> bool:
    """Whether two modes stand for the same kind of thing, executable or not."""
    return one & _KIND_BITS == other & _KIND_BITS


class Blob(Struct, frozen=True):
    """An entry of a tree or of the index: Git's file mode, and the object's id in hex."""

    mode: int
    id: str


Tree = Mapping[str, Blob]
"""Everything that a commit holds: path and entry, folders spelt out."""


class File(Struct, frozen=True):
    """A file in a tree: Git's mode and the content (of a symbolic link: its target)."""

    mode: int
    data: bytes


Files = Mapping[str, File]
"""The files of a tree by path, with their contents."""


def bad_path(path: str) -> str:
    """Why a path can't be used in a repository on every system, or nothing where it can."""
    parts = path.split("/")
    if "" in parts or _NOT_IN_PATHS.search(path):
        return "use names with single slashes between them"
    if any(part in (".", "..") for part in parts):
        return "it must not leave its folder"
    if any(part.lower() == ".git" for part in parts):
        return ".git belongs to Git"
    for part in parts:
        if _RESERVED.fullmatch(part.split(".")[0]):
            return f'Windows has no file "{part}"'
        if match := _NOT_ON_WINDOWS.search(part):
            return f'Windows has no names with "{match[0]}"'
        if part.endswith((".", " ")):
            return "Windows has no names that end with a dot or a blank"
    return ""


_RESERVED = pattern(r"con|prn|aux|nul|(com|lpt)[1-9]", re.IGNORECASE)
_NOT_IN_PATHS = pattern(r"[\x00-\x1f\\]")
_NOT_ON_WINDOWS = pattern(r'[<>:"|?*]')
