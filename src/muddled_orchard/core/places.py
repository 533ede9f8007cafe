"""Where a submission's files lie: in a folder, or in memory as an archive holds them.

Whoever reads a submission asks a place, and never the file system, so a link or a path out of the folder
has nothing to lead to.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal, Protocol

Kind = Literal["file", "folder", "link", "other"]


_NOISE = frozenset({".ds_store", "thumbs.db", "desktop.ini", "__macosx"})


def is_noise(name: str) -> bool:
    """Whether a file or folder is one that an operating system makes by itself."""
    return name.lower() in _NOISE or name.startswith("._")


@dataclass(frozen=True, slots=True)
class Entry:
    """Something in a folder: its name, what it is, the size of a file in bytes, whether it is executable."""

    name: str
    kind: Kind
    size: int = 0
    executable: bool = False


class Place(Protocol):
    """A tree of files. Paths are relative, with slashes; the empty path is the place itself. No link is
    ever followed, wherever it stands in a path."""

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""

    def entries(self, path: str) -> list[Entry]:
        """What a folder holds, by name; nothing where there is no folder. Raises OSError."""

    def target(self, path: str) -> bytes:
        """Where a link points, as it says. Raises OSError."""


_FOLDER: tuple[Kind, bytes, bool] = ("folder", b"", False)


class MemoryPlace:
    """Files in memory. What an archive says twice counts as it is said last."""

    def __init__(self) -> None:
        self._held: dict[str, tuple[Kind, bytes, bool]] = {"": _FOLDER}
        self._inside: dict[str, dict[str, None]] = {"": {}}
        self.commits_alone = False
        """Whether this was a bundle, which has commits and nothing else."""

    def add(self, path: str, kind: Kind, data: bytes = b"", *, executable: bool = False) -> None:
        """Put something in, with the folders above it. The path must be clean: no `..`, no empty part."""
        parent, _, name = path.rpartition("/")
        inside = self._inside.get(parent)
        if inside is None:
            self.add(parent, "folder")
            inside = self._inside[parent]
        if kind != "folder":
            self._inside.pop(path, None)  # said twice: it is no folder any more
            self._held[path] = (kind, data, executable)
            inside[name] = None
        elif path not in self._inside:
            self._held[path] = _FOLDER
            self._inside[path] = {}
            inside[name] = None

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""
        held = self._held.get(path)
        return held[0] if held and self._in_folders(path) else None

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""
        held = self._held.get(path)
        if held is None or held[0] != "file" or len(held[1]) > most or not self._in_folders(path):
            return None
        return held[1]

    def entries(self, path: str) -> list[Entry]:
        """What a folder holds, by name."""
        if self.kind(path) != "folder":
            return []
        prefix = f"{path}/" if path else ""
        found = ((name, *self._held[prefix + name]) for name in sorted(self._inside[path]))
        return [Entry(name, kind, len(data), executable) for name, kind, data, executable in found]

    def target(self, path: str) -> bytes:
        """Where a link points."""
        return self._held[path][1]

    def _in_folders(self, path: str) -> bool:
        """Whether everything above is a folder still: an archive may put a link where a folder was."""
        parent = path.rpartition("/")[0]
        while parent:
            if parent not in self._inside:
                return False
            parent = parent.rpartition("/")[0]
        return True


class Below:
    """A folder of a place, as a place of its own."""

    def __init__(self, place: Place, folder: str) -> None:
        self._place = place
        self._prefix = f"{folder}/" if folder else ""
        self._folder = folder

    def kind(self, path: str) -> Kind | None:
        """What is there, or None."""
        return self._place.kind(self._prefix + path if path else self._folder)

    def read(self, path: str, most: int) -> bytes | None:
        """The content of a plain file of at most `most` bytes, else None."""
        return self._place.read(self._prefix + path, most)

    def entries(self, path: str) -> list[Entry]:
        """What a folder holds, by name."""
        return self._place.entries(self._prefix + path if path else self._folder)

    def target(self, path: str) -> bytes:
        """Where a link points."""
        return self._place.target(self._prefix + path)


def below(place: Place, path: str = "") -> Iterator[tuple[str, Entry]]:
    """Every entry below a folder but the folders themselves, by path; with a bound on how deep it goes."""
    stack = [path]
    while stack:
        folder = stack.pop()
        prefix = f"{folder}/" if folder else ""
        for entry in place.entries(folder):
            if entry.kind == "folder":
                stack.append(prefix + entry.name)
            else:
                yield prefix + entry.name, entry
