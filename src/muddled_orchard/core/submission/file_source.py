"""Where a submission's files lie: in a folder, or in memory as an archive holds them.

Whoever reads a submission asks a place, and never the file system, so a link or a path out of the folder
has nothing to lead to.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal, Protocol

from msgspec import Struct

from muddled_orchard.core.base.limits import DEEPEST_FOLDER, LONGEST_PATH, MOST_FILES, Exceeded

Kind = Literal["file", "folder", "link", "other"]


_NOISE = frozenset({".ds_store", "thumbs.db", "desktop.ini", "__macosx"})


def is_noise(name: str) -> bool:
    """Whether a file or folder is one that an operating system makes by itself."""
    return name.lower() in _NOISE or name.startswith("._")


class FileEntry(Struct, frozen=True):
    """Something in a folder: its name, what it is, the size of a file in bytes, whether it is executable."""

    name: str
    kind: Kind
    size: int = 0
    executable: bool = False


class FileSource(Protocol):
    """A tree of files. Paths are relative, with slashes; the empty path is the place itself. No link is
    ever followed, wherever it stands in a path. `size` is how many bytes of it are in memory."""

    @property
    def size(self) -> int:
        """0 for what lies on a disk."""

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""

    def entries(self, path: str) -> list[FileEntry]:
        """What a folder holds, by name; nothing where there is no folder. Raises OSError."""

    def target(self, path: str) -> bytes:
        """Where a link points, as it says. Raises OSError."""


Content = bytes | memoryview
"""What a file in memory holds; a view is a part of an archive that is held as a whole."""

_Folder = dict[str, Any]
"""What a folder in memory holds, by name: folders, and of everything else (kind, content, executable)."""


class MemorySource:
    """Files in memory. What an archive says twice counts as it is said last."""

    def __init__(self) -> None:
        self._folders: dict[str, _Folder] = {"": {}}
        self.commits_alone = False
        """Whether this was a bundle, which has commits and nothing else."""
        self.folders = 0
        """How many folders there are."""
        self.size = 0
        """How many bytes its files have, what was put in twice counted twice."""

    def add(self, path: str, kind: Kind, data: Content = b"", *, executable: bool = False) -> None:
        """Put something in, with the folders above it. The path must be clean: no `..`, no empty part."""
        if kind == "folder":
            self._folder(path)
            return
        above, _, name = path.rpartition("/")
        if path in self._folders:
            self._forget(path)  # it stands in the place of a folder
        self.size += len(data)
        (self._folders.get(above) or self._folder(above))[name] = (kind, data, executable)

    def _folder(self, path: str) -> _Folder:
        """The folder at a path, made where there is none."""
        held = self._folders.get(path)
        if held is None:
            above, _, name = path.rpartition("/")
            held = self._folders[path] = self._folder(above)[name] = {}
            self.folders += 1
        return held

    def _forget(self, path: str) -> None:
        """Let go of a folder and all below it."""
        waiting = [path]
        while waiting:
            folder = waiting.pop()
            held = self._folders.pop(folder)
            waiting += [f"{folder}/{name}" for name, inner in held.items() if type(inner) is dict]

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""
        held = self._at(path)
        return "folder" if type(held) is dict else held and held[0]

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""
        held = self._at(path)
        if type(held) is not tuple or held[0] != "file" or len(held[1]) > most:
            return None
        return bytes(held[1])

    def entries(self, path: str) -> list[FileEntry]:
        """What a folder holds, by name."""
        folder = self._at(path)
        if type(folder) is not dict:
            return []
        return [
            FileEntry(name, "folder")
            if type(held) is dict
            else FileEntry(name, held[0], len(held[1]), held[2])
            for name, held in sorted(folder.items(), key=lambda item: item[0])
        ]

    def target(self, path: str) -> bytes:
        """Where a link points."""
        return bytes(self._at(path)[1])

    def _at(self, path: str) -> Any:
        """What is there: a folder, (kind, content, executable), or None."""
        if not path:
            return self._folders[""]
        above, _, name = path.rpartition("/")
        folder = self._folders.get(above)
        return None if folder is None else folder.get(name)


class Below:
    """A folder of a place, as a place of its own."""

    def __init__(self, place: FileSource, folder: str) -> None:
        self._place = place
        self._prefix = f"{folder}/" if folder else ""
        self._folder = folder
        self.size = place.size

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""
        return self._place.kind(self._prefix + path if path else self._folder)

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""
        return self._place.read(self._prefix + path, most)

    def entries(self, path: str) -> list[FileEntry]:
        """What a folder holds, by name."""
        return self._place.entries(self._prefix + path if path else self._folder)

    def target(self, path: str) -> bytes:
        """Where a link points."""
        return self._place.target(self._prefix + path)


def below(place: FileSource, path: str = "", *, folders: bool = False) -> Iterator[tuple[str, FileEntry]]:
    """Every entry below a folder, by path; without the folders themselves, unless `folders` is asked for.
    Raises Exceeded where folders are nested too deeply, or are too many."""
    stack = [path]
    seen = 0
    while stack:
        folder = stack.pop()
        prefix = f"{folder}/" if folder else ""
        for entry in place.entries(folder):
            if entry.kind == "folder":
                seen += 1
                if seen > MOST_FILES or len(prefix) > LONGEST_PATH or prefix.count("/") >= DEEPEST_FOLDER:
                    raise Exceeded("its folders are nested too deeply, or are too many")
                stack.append(prefix + entry.name)
                if folders:
                    yield prefix + entry.name, entry
            else:
                yield prefix + entry.name, entry
