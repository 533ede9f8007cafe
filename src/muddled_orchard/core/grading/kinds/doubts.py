"""Why a person should look, in short sentences."""

from __future__ import annotations

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind


class KeyHasNoAnswer(Kind, frozen=True):
    """A file conflicts, and the key says nothing of it."""

    file: str

    @property
    def said(self) -> str:
        return f"{self.file} conflicts, and the key has no answer for it"


class JudgedByTheEnd(Kind, frozen=True):
    """A file in which merges in another order met other conflicts, so that only its end can be compared."""

    file: str

    @property
    def said(self) -> str:
        return f"the merges were made in another order, so {self.file} is judged by what it reads in the end"


class NotByLines(Kind, frozen=True):
    """A file that conflicted is binary now, or too large to be read line by line."""

    file: str

    @property
    def said(self) -> str:
        return f"{self.file} is binary now, or too large to be read line by line"


class TwoReadings(Kind, frozen=True):
    """A file can be read in two ways that earn differently."""

    file: str

    @property
    def said(self) -> str:
        return f"{self.file}: it can be read in two ways that fit equally well; the better one was counted"


class RoughReading(Kind, frozen=True):
    """A file is too far from the merge for its hunks to be placed exactly."""

    file: str

    @property
    def said(self) -> str:
        return f"{self.file}: it is so far from the merge that its hunks could only be placed roughly"


class BlankLinesDiffer(Kind, frozen=True):
    """A hunk differs from the key in blank lines alone."""

    file: str
    hunk: int

    @property
    def said(self) -> str:
        return f"{self.file}: hunk {self.hunk} differs from the key in blank lines alone"


class PossibleMarker(Kind, frozen=True):
    """A line may be a part of a conflict marker."""

    file: str
    line: int
    sign: str
    text: str

    @property
    def said(self) -> str:
        return f"{self.file}, line {self.line}: this may be {self.sign} ({self.text})"


class RuleUnchecked(Kind, frozen=True):
    """A rule can't be checked, for a reason in words."""

    reason: str

    @property
    def said(self) -> str:
        return f"a rule can't be checked: {self.reason}"


class NoSuchCommit(Kind, frozen=True):
    """What is under way brings in a commit that is not there."""

    under_way: str
    commit: str

    @property
    def said(self) -> str:
        return f"a {self.under_way} of {short(self.commit)} is under way, but there is no such commit"


class RebaseOnBranch(Kind, frozen=True):
    """A rebase is under way, and HEAD is not detached."""

    branch: str

    @property
    def said(self) -> str:
        return f"a rebase is under way, though HEAD is on {self.branch} and not detached"


class BranchWithoutCommit(Kind, frozen=True):
    """HEAD is on a branch that has no commit."""

    branch: str

    @property
    def said(self) -> str:
        return f"HEAD is on {self.branch}, which has no commit"


class ValueOfAnother(Kind, frozen=True):
    """A wrong conflict reads as it would with a value of another variant."""

    file: str
    hunk: int | None
    value: str
    own: str

    @property
    def said(self) -> str:
        place = f"{self.file}, hunk {self.hunk}," if self.hunk else f"{self.file}"
        return f"{place} has a value of another variant ({self.value} for {self.own}): was it copied?"
