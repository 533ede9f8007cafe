"""What bystanders finds, at the remote too."""

from __future__ import annotations

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind


class Undisturbed(Kind, frozen=True):
    """Every other ref is where it was."""

    said = "Everything else stands where it stood."


class BranchGone(Kind, frozen=True):
    """A branch was deleted, or renamed to another."""

    branch: str
    renamed_to: str | None

    @property
    def said(self) -> str:
        what = f"was renamed to {self.renamed_to}" if self.renamed_to else "was deleted"
        return f"{self.branch} {what}."


class BranchRewritten(Kind, frozen=True):
    """A branch lacks the commit at which it stood."""

    branch: str
    commit: str

    @property
    def said(self) -> str:
        return f"{self.branch} was rewritten: {short(self.commit)} is no longer in it."


class BranchMoved(Kind, frozen=True):
    """A branch was moved on."""

    branch: str
    before: str
    now: str

    @property
    def said(self) -> str:
        return f"{self.branch} was moved on from {short(self.before)} to {short(self.now)}."


class ToBeLeftAlone(Kind, frozen=True):
    """So many branches were to stay where they were."""

    count: int

    @property
    def said(self) -> str:
        return f"{'It was' if self.count == 1 else 'They were'} to be left alone."


class GoneFromOrigin(Kind, frozen=True):
    """A branch of the remote is gone."""

    branch: str

    @property
    def said(self) -> str:
        return f"{self.branch} is gone from origin."


class OverwrittenAtOrigin(Kind, frozen=True):
    """A branch of the remote lacks the commit at which it stood; `by` made that."""

    branch: str
    commit: str
    by: str = ""

    @property
    def said(self) -> str:
        commit = f"{short(self.commit)} by {self.by}" if self.by else short(self.commit)
        return f"{self.branch} was overwritten at origin: {commit} is no longer in it."


class OriginHas(Kind, frozen=True):
    """A branch of the remote stands elsewhere."""

    branch: str
    commit: str

    @property
    def said(self) -> str:
        return f"origin has {self.branch} at {short(self.commit)} now."
