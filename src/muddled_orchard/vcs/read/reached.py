"""Is everything there that a commit names? A push brings all of it; a ref written by hand brings nothing."""

from __future__ import annotations

from collections.abc import Container, Iterator

from muddled_orchard.core.base.limits import MOST_FILES
from muddled_orchard.core.git.packs import BLOB, COMMIT, TREE
from muddled_orchard.core.git.stored_objects import stored_commit, stored_tree
from muddled_orchard.core.git.trees import FOLDER, SUBMODULE
from muddled_orchard.vcs.read.objects import ForeignObjects
from muddled_orchard.vcs.read.quarantine import Unreadable
from muddled_orchard.vcs.read.tree_reading import sound


class Reached:
    """Whether a repository has all that a commit is made of."""

    def __init__(self, objects: ForeignObjects, known: Container[str]) -> None:
        self._objects = objects
        self._known = known
        self._seen: set[str] = set()
        self.parents: dict[str, tuple[str, ...]] = {}

    def whole(self, tip: str) -> bool:
        """Whether a commit is there with its folders, files and all that it grew from, but for known
        commits."""
        stack = [(COMMIT, tip)]
        while stack:
            kind, id_ = stack.pop()
            if id_ in self._seen or (kind == COMMIT and id_ in self._known):
                continue
            if len(self._seen) > MOST_FILES:
                raise Unreadable("its remote has more than a practice repository's can")
            found = (BLOB, b"") if kind == BLOB and self._objects.has(id_) else self._objects.read(id_)
            if found is None or found[0] != kind:
                return False
            self._seen.add(id_)
            with sound():
                named = list(_named_in(kind, found[1]))
            if kind == COMMIT:
                self.parents[id_] = tuple(name for of, name in named if of == COMMIT)
            stack.extend(named)
        return True


def _named_in(kind: int, data: bytes) -> Iterator[tuple[int, str]]:
    if kind == COMMIT:
        commit = stored_commit(data)
        yield TREE, commit.tree
        yield from ((COMMIT, parent) for parent in commit.parents)
    elif kind == TREE:
        for mode, _, id_ in stored_tree(data):
            if mode != SUBMODULE:
                yield (TREE if mode == FOLDER else BLOB), id_
