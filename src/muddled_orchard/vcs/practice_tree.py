"""How a practice repository of ours stands: what is checked out, in conflict, staged and under way."""

from __future__ import annotations

from pathlib import Path

import pygit2

from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.under_way import APPLYING, REBASE_FOLDERS, REBASED_HEAD, SEQUENCER, SHOWN_BY

_REPLAYED = ("CHERRY_PICK_HEAD", "REVERT_HEAD")


class PracticeTree:
    """A working tree with its repository, in `folder`; each question is answered as it stands by then."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.gitdir = folder / ".git"

    @property
    def repository(self) -> pygit2.Repository:
        """The repository as it is now."""
        return pygit2.Repository(str(self.folder))

    def branch(self) -> str | None:
        """The branch that is checked out."""
        head = (self.gitdir / "HEAD").read_text("utf-8").strip()
        return head.removeprefix(f"ref: {BRANCHES}") if head.startswith("ref: ") else None

    def has_branch(self, name: str) -> bool:
        """Whether there is a branch of this name."""
        return name in self.repository.branches.local

    def head(self) -> str | None:
        """The id of the commit that is checked out; None before the first one."""
        repository = self.repository
        return None if repository.head_is_unborn else str(repository.head.target)

    def message(self) -> str:
        """What the commit that is checked out says."""
        return str(self.repository.revparse_single("HEAD").peel(pygit2.Commit).message)

    def unmerged(self) -> dict[str, dict[int, str]]:
        """The blob ids of the paths that are in conflict, by stage."""
        found: dict[str, dict[int, str]] = {}
        for sides in self.repository.index.conflicts or ():
            for stage, entry in enumerate(sides, start=1):
                if entry is not None:
                    found.setdefault(entry.path, {})[stage] = str(entry.id)
        return found

    def staged(self) -> bool:
        """Whether something is staged that is not committed."""
        repository = self.repository
        return bool(repository.index.diff_to_tree(repository.revparse_single("HEAD").peel(pygit2.Tree)))

    def is_dirty(self) -> bool:
        """Whether a file that Git knows holds something that is not committed."""
        untracked = pygit2.enums.FileStatus.WT_NEW | pygit2.enums.FileStatus.IGNORED
        return any(not status & untracked for status in self.repository.status().values())

    def pending(self) -> bool:
        """Whether an operation is under way."""
        names = {*SHOWN_BY, *REBASE_FOLDERS, SEQUENCER} - {"SQUASH_MSG"}
        if any((self.gitdir / name).exists() for name in names):
            return True
        # An interactive rebase may leave that file, too, with nothing staged.
        return (self.gitdir / "SQUASH_MSG").exists() and (bool(self.unmerged()) or self.staged())

    def applying(self) -> bool:
        """Whether Git applies patches."""
        return (self.gitdir / APPLYING).is_file()

    def noted(self, name: str) -> str | None:
        """What a file of the repository's own folder says."""
        file = self.gitdir / name
        return file.read_text("utf-8").strip() if file.is_file() else None

    def replayed(self) -> str | None:
        """The id of the commit that a rebase, pick or revert has stopped at."""
        rebases = any((self.gitdir / folder).exists() for folder in REBASE_FOLDERS)
        # Git leaves REBASE_HEAD behind when a rebase is over.
        heads = ((REBASED_HEAD,) if rebases else ()) + _REPLAYED
        return next(filter(None, map(self.noted, heads)), None)
