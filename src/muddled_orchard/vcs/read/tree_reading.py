"""The trees of a foreign repository, listed within bounds."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from muddled_orchard.core.base.limits import LONGEST_PATH, MOST_FILES, MOST_LISTED_IN_ALL
from muddled_orchard.core.git.packs import TREE
from muddled_orchard.core.git.stored_objects import BadObject, stored_tree
from muddled_orchard.core.git.trees import FOLDER, Blob
from muddled_orchard.vcs.read.objects import ForeignObjects
from muddled_orchard.vcs.read.quarantine import Unreadable


class Trees:
    """Lists the trees of a foreign repository. What two commits have in common is held once."""

    def __init__(self, objects: ForeignObjects) -> None:
        self._objects = objects
        self._folders: dict[tuple[str, str], tuple[list[tuple[str, Blob]], list[tuple[str, str]]]] = {}
        self._listed = 0

    def listing(self, id_: str) -> dict[str, Blob]:
        """Everything below a tree, by path. Submodules are listed, not entered. Raises Unreadable where that
        is too much: a few small trees can be made to list billions."""
        found: dict[str, Blob] = {}
        stack = [("", id_)]
        folders = 0
        while stack:
            files, inner = self._folder(*stack.pop())
            folders += 1
            found.update(files)
            stack.extend(inner)
            if len(found) > MOST_FILES or len(stack) + folders > MOST_FILES:
                raise Unreadable(f"one of its commits lists more than {MOST_FILES:,} files")
        self._listed += len(found)
        if self._listed > MOST_LISTED_IN_ALL:
            raise Unreadable(f"its commits list more than {MOST_LISTED_IN_ALL:,} files in all")
        return dict(sorted(found.items()))

    def _folder(self, prefix: str, id_: str) -> tuple[list[tuple[str, Blob]], list[tuple[str, str]]]:
        known = self._folders.get((prefix, id_))
        if known is None:
            read = self._objects.read(id_)
            if read is None or read[0] != TREE:
                raise Unreadable("a folder that its commits name is missing or damaged")
            files: list[tuple[str, Blob]] = []
            inner: list[tuple[str, str]] = []
            with sound():
                for mode, name, entry in stored_tree(read[1]):
                    path = prefix + name
                    if len(path) > LONGEST_PATH:
                        raise Unreadable("one of its commits lists a file with an endless path")
                    if mode == FOLDER:
                        inner.append((f"{path}/", entry))
                    else:
                        files.append((path, Blob(mode, entry)))
            known = self._folders[prefix, id_] = (files, inner)
        return known


@contextmanager
def sound() -> Iterator[None]:
    """Turn what is wrong with an object into Unreadable."""
    try:
        yield
    except BadObject as problem:
        raise Unreadable(str(problem)) from None
