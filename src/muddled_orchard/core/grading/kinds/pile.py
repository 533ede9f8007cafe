"""What a pile of submissions shows, in short sentences."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import counted, listed, times, was
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import names_of


class PassedOver(Kind, frozen=True):
    """Things in a pile that are nobody's submission."""

    pages: int
    empty: int

    @property
    def said(self) -> str:
        parts = [counted(self.pages, "page")] if self.pages else []
        if self.empty:
            parts.append("1 empty entry" if self.empty == 1 else f"{self.empty} empty entries")
        return f"{listed(parts)} {was(self.pages + self.empty)} passed over"


class NotHandedOut(Kind, frozen=True):
    """A submission is of another ledger; `counts`: it counts all the same."""

    submission: str
    exercise: str
    variant: str
    counts: bool

    @property
    def said(self) -> str:
        about = f"{self.exercise}, variant {self.variant}"
        nobody = "" if self.counts else "; it counts for nobody"
        return f"{self.submission} was not handed out by this ledger ({about}){nobody}"


class NameOfAnother(Kind, frozen=True):
    """A submission bears another learner's name."""

    submission: str
    learner: str
    other: str

    @property
    def said(self) -> str:
        return f"{self.submission} bears the name of {self.other}, but it is {self.learner}'s hand-out"


class MadeByAnother(Kind, frozen=True):
    """Another learner made commits in a submission."""

    submission: str
    learner: str
    other: str
    name: str

    @property
    def said(self) -> str:
        maker = f"{self.name} ({self.other})"
        return f"{self.submission} is {self.learner}'s hand-out, and {maker} made commits in it"


class NothingCame(Kind, frozen=True):
    """Learners who did not hand in what others did."""

    exercise: str
    names: Sequence[str]

    @property
    def said(self) -> str:
        return f"{self.exercise}: nothing came from {listed(self.names, most=12)}"


class DatedTooEarly(Kind, frozen=True):
    """Commits are dated before they can have been made."""

    submission: str

    @property
    def said(self) -> str:
        return f"{self.submission} has commits that are dated before it was handed out"


class Attempts(Kind, frozen=True):
    """A learner handed in so often; the best attempt."""

    learner: str
    exercise: str
    count: int
    best: str

    @property
    def said(self) -> str:
        often = f"{self.learner} handed {self.exercise} in {times(self.count)}"
        return f"{often}; the best counts ({self.best})"


class SettledNoMore(Kind, frozen=True):
    """A person's verdict is on something that this grading has no more."""

    by: str
    about: str

    @property
    def said(self) -> str:
        return f"the verdict of {self.by} on {self.about} holds no more: this grading has no such thing"


class SharedCommits(Kind, frozen=True):
    """Submissions of several learners share commits."""

    names: Sequence[str]
    count: int
    commits: Sequence[str]

    @property
    def said(self) -> str:
        shown = names_of([short(commit) for commit in self.commits], self.count)
        them = "it" if self.count == 1 else "them"
        share = f"{listed(self.names)} share {counted(self.count, 'commit')}"
        return f"{share} ({shown}), though only one made {them}"
