"""What lies in a submission's working tree, as `git status` would see it on the learner's own system."""

from __future__ import annotations

import hashlib
import unicodedata
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress

from muddled_orchard.core.base.limits import LARGEST_OBJECT, MOST_FILES, MOST_IGNORE_FILES
from muddled_orchard.core.git.trees import LINK, SUBMODULE, Blob, file_mode
from muddled_orchard.core.submission.evidence import IndexEntry
from muddled_orchard.core.submission.file_source import Below, FileEntry, FileSource, below, is_noise
from muddled_orchard.vcs.isolation import isolate
from muddled_orchard.vcs.read.quarantine import Unreadable

UNREAD = "0" * 40
"""Stands for the id of a content that is too large to be read."""


def read_working_tree(
    worktree: FileSource,
    index: Sequence[IndexEntry],
    known: Mapping[str, bytes],
    texts: dict[str, bytes],
    hold: Callable[[int], None],
    *,
    folds_case: bool = False,
) -> dict[str, Blob]:
    """The files of a working tree by path; contents that are not known are added to `texts`, and their sizes
    told to `hold`.

    Left out is what an operating system made and Git does not know. A path that Git knows in another form is
    given as Git has it: composed, where a Mac has taken its letters apart; in other capitals, where the file
    system finds it by those as well (`folds_case`). A submodule counts as Git has it. Raises Unreadable where
    there is too much.
    """
    tracked = {entry.path for entry in index}
    submodules = {entry.path: entry.blob for entry in index if entry.blob.mode == SUBMODULE}
    found: dict[str, Blob] = dict(submodules)
    for path, entry in below(_WorkingTree(worktree, tracked, submodules.keys())):
        if len(found) > MOST_FILES:
            raise Unreadable(f"its working tree has more than {MOST_FILES:,} files")
        if entry.kind == "link":
            data, mode = worktree.target(path), LINK
        else:
            mode = file_mode(executable=entry.executable)
            content = worktree.read(path, LARGEST_OBJECT)
            if content is None:
                if entry.kind == "file":
                    found[path] = Blob(mode, UNREAD)  # nothing that was handed out is as large
                continue  # a pipe or a device is never opened
            data = content
        id_ = blob_id(data)
        found[path] = Blob(mode, id_)
        if id_ not in known and id_ not in texts:
            hold(len(data))
            texts[id_] = data
    return _as_git_has_them(found, tracked, folds_case=folds_case)


def _as_git_has_them(
    found: dict[str, Blob], tracked: Collection[str], *, folds_case: bool
) -> dict[str, Blob]:
    missing = [path for path in tracked if path not in found]
    strange = [path for path in found if path not in tracked]
    if not missing or not strange:
        return found

    def form(path: str) -> str:
        composed = unicodedata.normalize("NFC", path)
        return composed.casefold() if folds_case else composed

    forms = {form(path): path for path in missing}
    renamed = {path: forms[form(path)] for path in strange if form(path) in forms}
    return {renamed.get(path, path): blob for path, blob in found.items()}


def ignored_paths(found: Collection[str], rules: Mapping[str, bytes], exclude: bytes) -> frozenset[str]:
    """Which of the paths the repository's own rules ignore: those of its `.gitignore` files, by path, and of
    its `.git/info/exclude`. They are copied to a folder of ours, and libgit2 is asked."""
    import pygit2  # it takes long to load, and few submissions need it

    from muddled_orchard.system.temporary import temporary_folder

    isolate()
    ignored = set()
    with temporary_folder() as folder:
        for path, data in list(rules.items())[:MOST_IGNORE_FILES]:
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_bytes(data)
        asked = pygit2.init_repository(str(folder))
        (folder / ".git/info").mkdir(parents=True, exist_ok=True)
        (folder / ".git/info/exclude").write_bytes(exclude)
        for path in found:
            with suppress(UnicodeError, ValueError, pygit2.GitError):  # a name that it can't be asked for
                if asked.path_is_ignored(path):
                    ignored.add(path)
    return frozenset(ignored)


def blob_id(data: bytes) -> str:
    """The id that a file's content has as an object."""
    return hashlib.sha1(b"blob %d\0" % len(data) + data, usedforsecurity=False).hexdigest()


class _WorkingTree(Below):
    """A working tree without what is never part of it: `.git`, what operating systems leave and nobody has
    added, and the insides of submodules."""

    def __init__(self, worktree: FileSource, tracked: Collection[str], submodules: Collection[str]) -> None:
        super().__init__(worktree, "")
        self._submodules = submodules
        self._known = {*tracked, *(folder for path in tracked for folder in _folders_of(path))}

    def entries(self, path: str) -> list[FileEntry]:
        """What a folder holds, by name."""
        prefix = f"{path}/" if path else ""
        return [e for e in super().entries(path) if self._belongs(prefix + e.name, e.name)]

    def _belongs(self, path: str, name: str) -> bool:
        if name.lower() == ".git" or path in self._submodules:
            return False
        return not is_noise(name) or path in self._known


def _folders_of(path: str) -> list[str]:
    parts = path.split("/")
    return ["/".join(parts[:count]) for count in range(1, len(parts))]
