"""What lies in the trees of a history: single paths, and where two trees differ."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.stored_objects import BadObject, stored_tree
from muddled_orchard.core.git.trees import FOLDER, Blob, Tree
from muddled_orchard.vcs.gleaning.source import History, Missing

_MOST_HELD = 4_000
MOST_FILES = 20_000
"""The most files of a tree that is taken whole."""

_Entries = dict[str, tuple[int, str]]


class Trees:
    """The trees of a history; those that were read of late are remembered."""

    def __init__(self, history: History) -> None:
        self._history = history
        self._held: dict[str, _Entries] = {}

    def entries(self, id_: str) -> _Entries:
        """What one folder holds: mode and id by name. Raises Missing."""
        known = self._held.get(id_)
        if known is None:
            kind, data = self._history.read(id_)
            if kind != "tree":
                raise Missing(f"{id_[:10]} is no tree")
            try:
                known = {name: (mode, entry) for mode, name, entry in stored_tree(data)}
            except BadObject as why:
                raise Missing(str(why)) from None
            if len(self._held) >= _MOST_HELD:
                self._held.clear()
            self._held[id_] = known
        return known

    def at(self, tree: str, path: str) -> Blob | None:
        """The file at a path of a tree, or None. Raises Missing."""
        *folders, name = path.split("/")
        for folder in folders:
            mode, tree = self.entries(tree).get(folder, (0, ""))
            if mode != FOLDER:
                return None
        mode, id_ = self.entries(tree).get(name, (FOLDER, ""))
        return None if mode == FOLDER else Blob(mode, id_)

    def whole(self, tree: str) -> Tree:
        """Every file below a tree, by path. Raises Missing, also where there are too many."""
        found = dict(self._below(tree, ""))
        return dict(sorted(found.items()))

    def _below(self, tree: str, prefix: str) -> Iterator[tuple[str, Blob]]:
        stack, seen = [(prefix, tree)], 0
        while stack:
            before, id_ = stack.pop()
            for name, (mode, entry) in self.entries(id_).items():
                seen += 1
                if seen > MOST_FILES:
                    raise Missing(f"it has more than {MOST_FILES:,} files")
                if mode == FOLDER:
                    stack.append((f"{before}{name}/", entry))
                else:
                    yield f"{before}{name}", Blob(mode, entry)

    def different(self, one: str, other: str) -> Iterator[str]:
        """The paths at which two trees differ; folders that are the same are not looked into. Raises
        Missing."""
        stack = [("", one, other)]
        while stack:
            prefix, left, right = stack.pop()
            if left == right:
                continue
            here, there = (self.entries(id_) if id_ else {} for id_ in (left, right))
            for name in here.keys() | there.keys():
                mine, theirs = here.get(name, (0, "")), there.get(name, (0, ""))
                if mine == theirs:
                    continue
                folders = [entry[1] if entry[0] == FOLDER else "" for entry in (mine, theirs)]
                if any(folders):
                    stack.append((f"{prefix}{name}/", folders[0], folders[1]))
                if any(entry[1] and entry[0] != FOLDER for entry in (mine, theirs)):
                    yield f"{prefix}{name}"
