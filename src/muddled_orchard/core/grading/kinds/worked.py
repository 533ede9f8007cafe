"""How somebody worked, in short sentences."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import counted, times
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import given_up_in_words


class Aborted(Kind, frozen=True):
    """Operations were given up."""

    rebases: int
    resets: int
    patches: int = 0

    @property
    def said(self) -> str:
        return given_up_in_words(self.rebases, self.resets, self.patches)


class ResetElsewhere(Kind, frozen=True):
    """HEAD was reset to another commit, so often, and where it went last."""

    count: int
    target: str

    @property
    def said(self) -> str:
        return f"reset {times(self.count)}, last to {self.target}"


class Amended(Kind, frozen=True):
    """Commits were amended."""

    count: int

    @property
    def said(self) -> str:
        return f"{counted(self.count, 'commit')} amended"


class DatedBefore(Kind, frozen=True):
    """A commit is dated before one that it grew from."""

    commit: str

    @property
    def said(self) -> str:
        return f"{short(self.commit)} is dated before a commit that it grew from"


class MergeInReflog(Kind, frozen=True):
    """No branch has a merge commit that was made."""

    commit: str

    @property
    def said(self) -> str:
        return f"the merge commit {short(self.commit)} is only in the reflog: no branch holds it"


class ReplaysInReflog(Kind, frozen=True):
    """No branch has commits that were replayed; the last of them."""

    count: int
    commit: str
    subject: str

    @property
    def said(self) -> str:
        rest = f"{counted(self.count, 'replayed commit')} only in the reflog"
        return f'{rest}, the last {short(self.commit)} "{self.subject}"'


class MoreOfThis(Kind, frozen=True):
    """Further things of the same sort."""

    count: int

    @property
    def said(self) -> str:
        return f"and {counted(self.count, 'more thing')} of this kind"
