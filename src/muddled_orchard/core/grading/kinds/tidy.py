"""What tidy finds."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import have, was
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import names_of


class Tidy(Kind, frozen=True):
    """Nothing is left lying about."""

    said = "The right branch is checked out and nothing was left lying about."


class Detached(Kind, frozen=True):
    """HEAD is detached."""

    wanted: str

    @property
    def said(self) -> str:
        return f"HEAD is detached; {self.wanted} should be checked out."


class OtherCheckedOut(Kind, frozen=True):
    """Another branch is checked out (None where HEAD is detached)."""

    now: str | None
    wanted: str

    @property
    def said(self) -> str:
        return f"{self.now} is checked out; it should be {self.wanted}."


class BackupsCommitted(Kind, frozen=True):
    """Backup files were committed."""

    names: tuple[str, ...]
    count: int

    @property
    def said(self) -> str:
        return f"{names_of(self.names, self.count)} {was(self.count)} committed, {_backups(self.count)}."


class LeftUntracked(Kind, frozen=True):
    """Untracked files; `backups`: all of them are backup files."""

    names: tuple[str, ...]
    count: int
    backups: bool

    @property
    def said(self) -> str:
        kind = f"left behind, {_backups(self.count)}" if self.backups else "left behind untracked"
        return f"{names_of(self.names, self.count)} {was(self.count)} {kind}."


class NotClean(Kind, frozen=True):
    """Files have uncommitted changes."""

    names: tuple[str, ...]
    count: int

    @property
    def said(self) -> str:
        changes = f"{names_of(self.names, self.count)} {have(self.count)} uncommitted changes"
        return f"The working tree is not clean: {changes}."


class StashLeft(Kind, frozen=True):
    """There is work in the stash."""

    said = "There is work left in the stash."


def _backups(count: int) -> str:
    return "a backup file" if count == 1 else "backup files"
