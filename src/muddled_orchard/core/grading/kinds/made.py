"""What made finds."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.exercise.operations.own_conflict import OWN_STEPS_TOLD
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind


class NoConflictToMake(Kind, frozen=True):
    """No conflict of one's own is asked for."""

    said = "No conflict of one's own was asked for."


class NotOfOwnConflicts(Kind, frozen=True):
    """How a conflict of one's own comes about is free."""

    said = "How the conflict came about was free."


class AnyResolution(Kind, frozen=True):
    """Whatever a conflict of one's own was resolved to is fine."""

    said = "Whatever it was resolved to is fine."


class ConflictsMade(Kind, frozen=True):
    """So many conflicts were made and met, by these operations, in these files."""

    conflicts: int
    by: Sequence[str]
    files: Sequence[str]

    @property
    def said(self) -> str:
        how = listed([f"a {name}" for name in self.by])
        return f"{counted(self.conflicts, 'conflict')} made and met by {how}, in {listed(self.files)}."


class TooFewMade(Kind, frozen=True):
    """Fewer conflicts were made than asked."""

    conflicts: int
    asked: int

    @property
    def said(self) -> str:
        if not self.conflicts:
            return "No conflict was made yet that was then met."
        return f"{self.conflicts} of {counted(self.asked, 'conflict')} made and met."


class StepsTaken(Kind, frozen=True):
    """So many of the steps were taken, and which were not."""

    taken: int
    of: int
    lacking: Sequence[str]

    @property
    def said(self) -> str:
        if not self.lacking:
            return f"All {self.of} steps were taken."
        first = next(told for step, told in OWN_STEPS_TOLD.items() if step == self.lacking[0])
        return f"{self.taken} of {counted(self.of, 'step')} taken; next: {first}."


class ResultThrownAway(Kind, frozen=True):
    """A conflict was met, and no branch has what came of it any more."""

    how: str
    commit: str

    @property
    def said(self) -> str:
        return f"The {self.how} {short(self.commit)} conflicted, and no branch has what came of it any more."


class MergedCleanly(Kind, frozen=True):
    """An operation did not conflict: both sides changed different places."""

    how: str
    commit: str
    edited: bool

    @property
    def said(self) -> str:
        did = f"The {self.how} {short(self.commit)} does not conflict"
        if self.edited:
            return f"{did}; what was changed in it by hand is no conflict."
        return f"{did}: its sides did not change the same lines."


class NeverParted(Kind, frozen=True):
    """A branch was only moved on, since the other one had not changed."""

    branch: str

    @property
    def said(self) -> str:
        return f"{self.branch} was only moved on: nothing was committed on both branches after they parted."


class ConflictAvoided(Kind, frozen=True):
    """A merge would have conflicted, and Git was told beforehand which side to take."""

    commit: str

    @property
    def said(self) -> str:
        return (
            f"The merge {short(self.commit)} would have conflicted, and Git was told beforehand what to take."
        )


class OtherConflict(Kind, frozen=True):
    """A conflict was made, of another kind, in another file or by another operation than asked."""

    how: str
    file: str
    kind: str

    @property
    def said(self) -> str:
        return f"A conflict by a {self.how} in {self.file} ({self.kind}) is not the one that was asked for."


class MayBeAvoided(Kind, frozen=True):
    """A merge conflicts, and all of one side was taken; nothing shows whether the conflict was met."""

    commit: str
    side: str

    @property
    def said(self) -> str:
        did = f"the merge {short(self.commit)} took all of {self.side}"
        return f"{did}, and nothing shows whether its conflict was met"


class MayBeSquashed(Kind, frozen=True):
    """A commit has what another branch has, and that conflicts with what was there: no more is left of a
    squashed merge."""

    commit: str
    files: Sequence[str]

    @property
    def said(self) -> str:
        did = f"{short(self.commit)} is likely a squashed merge that conflicted in {listed(self.files)}"
        return f"{did}: nothing else shows it"


class ReplaysNotSeen(Kind, frozen=True):
    """A rebase leaves no trace in commits, and there is no reflog."""

    said = "a rebase may have conflicted: commits alone don't show that, and there is no reflog"
