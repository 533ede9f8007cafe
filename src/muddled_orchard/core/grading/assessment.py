"""What an answer is worth: the finished result, which reports only show."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import islice
from typing import Literal, Protocol

from msgspec import Struct

from muddled_orchard.core.base.phrases import brief, cut
from muddled_orchard.core.grading.finding import Finding, Kind, kept, sentences
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.key.graph import Graph

State = Literal["finished", "open", "untouched", "unreadable"]
Verdict = Literal["met", "partly", "missed", "skipped"]

HINTS = (1, 2, 3)
"""How much feedback to a learner may give away, the least first."""


class Place(Struct, frozen=True, omit_defaults=True):
    """Where something is: a file, a line (from 1) and a commit id, as far as they apply."""

    file: str | None = None
    line: int | None = None
    commit: str | None = None


class Outcome(Struct, frozen=True, omit_defaults=True, kw_only=True):
    """A criterion's verdict, the share (0 to 1) of its points that it earns, and what was found.

    `unseen`: it was skipped because this kind of submission can't show it.
    """

    verdict: Verdict
    findings: tuple[Finding, ...]
    share: float = 0.0
    where: tuple[Place, ...] = ()
    unseen: bool = False

    @property
    def because(self) -> str:
        """What was found, in sentences that a learner understands."""
        return cut(sentences(map(restored, self.findings)), _LONGEST)


_LONGEST = 3_000
"""How many letters of a reason are said: a submission can make it grow."""


def _kept(found: Kind | Iterable[Kind]) -> tuple[Finding, ...]:
    return tuple(kept(kind) for kind in islice([found] if isinstance(found, Kind) else found, _MOST))


_MOST = 100


def met(kind: Kind) -> Outcome:
    """All of it."""
    return Outcome(verdict="met", findings=_kept(kind), share=1.0)


def missed(found: Kind | Iterable[Kind], where: tuple[Place, ...] = ()) -> Outcome:
    """None of it."""
    return Outcome(verdict="missed", findings=_kept(found), where=where)


def partly(found: Kind | Iterable[Kind], share: float = 0.5, where: tuple[Place, ...] = ()) -> Outcome:
    """Some of it; a share of none or all is `missed` or `met`."""
    verdict: Verdict = "met" if share >= 1 else "partly" if share > 0 else "missed"
    return Outcome(verdict=verdict, findings=_kept(found), share=share, where=where)


def skipped(kind: Kind) -> Outcome:
    """Not part of this scenario."""
    return Outcome(verdict="skipped", findings=_kept(kind))


def unseen(kind: Kind) -> Outcome:
    """Part of this scenario, and not to be seen in this kind of submission."""
    return Outcome(verdict="skipped", findings=_kept(kind), unseen=True)


class Settled(Struct, frozen=True, omit_defaults=True, kw_only=True):
    """A person's verdict, which stands in the place of the grader's own: the share (0 to 1) that is earned
    (None: as graded), who gave it, why, and when. `verdict` and `share` are the grader's."""

    earned: float | None
    by: str
    reason: str
    made: str
    verdict: Verdict
    share: float


class CriterionResult(Struct, frozen=True, omit_defaults=True, kw_only=True):
    """A criterion with its points. `points` and `possible` are 0 where it was skipped, `weight` is not.
    `settled` is the person's verdict that they follow, where there is one."""

    id: str
    outcome: Outcome
    points: float
    possible: float
    weight: float = 0.0
    settled: Settled | None = None

    @property
    def verdict(self) -> Verdict:
        """Its outcome, in a word."""
        return self.outcome.verdict

    @property
    def because(self) -> str:
        """Why, in sentences that a learner understands."""
        return self.outcome.because

    @property
    def where(self) -> tuple[Place, ...]:
        """Where that is to be seen."""
        return self.outcome.where


class HunkResult(Struct, frozen=True, omit_defaults=True, kw_only=True):
    """What became of one conflict: a hunk of a text, or a whole path (`hunk` is None).

    The three sides and what was `left` are texts for people; None where the path does not exist. `ours_name`
    and `theirs_name` tell who they are here. `line` is where it lies in the learner's file, `renamed` that
    file's name where the learner gave it a new one, `left_at` where it lies if one of the sides had it there.
    `resolved_by` made the commit in which it was resolved, where several made conflicts together.
    `look` are Git's commands that show what the sides did there. `subject` is that of the commit that was
    replayed. `worth` is the share of its points (0 to 1) that it earns, `weight` how much it counts; where it
    is worth less than all, `why` is the reason for that. `together` are whole answers, a word a hunk, where
    the key accepts several and not every mixture of them. `settled` is the person's verdict that
    `outcome` and `worth` follow, where there is one.
    """

    task: int
    commit: str | None
    file: str
    hunk: int | None
    kept: str
    accepted: tuple[str, ...]
    outcome: Literal["met", "partly", "missed", "skipped"]
    worth: float = 0.0
    weight: float = 1.0
    why: str = ""
    line: int | None = None
    base: str | None = None
    ours: str | None = None
    theirs: str | None = None
    left: str | None = None
    wanted: str | None = None
    ours_name: str = "ours"
    theirs_name: str = "theirs"
    renamed: str | None = None
    left_at: str | None = None
    subject: str | None = None
    step: int = 0
    resolved_by: str = ""
    look: tuple[str, ...] = ()
    together: tuple[tuple[str, ...], ...] = ()
    settled: Settled | None = None


class RolePart(Struct, frozen=True, omit_defaults=True, kw_only=True):
    """What one role has of a work that a team shares: its number and what it is called, its tasks (by number,
    from 1) and those that are still open, and the criteria of tasks as they are judged by these alone, with
    how many conflicts were never come to and what all of them weigh.

    `commits` are what came of these tasks, `makers` who made them by their own account, `pushed_by` who
    pushed them (learners' ids), where a host has seen that.
    """

    role: int
    name: str
    tasks: tuple[int, ...]
    open: tuple[int, ...] = ()
    criteria: tuple[CriterionResult, ...] = ()
    unmet: int = 0
    conflicts_weight: float = 0.0
    commits: tuple[str, ...] = ()
    makers: tuple[str, ...] = ()
    pushed_by: tuple[str, ...] = ()


class Assessment(Struct, frozen=True, omit_defaults=True, kw_only=True):
    """Everything that grading one submission found.

    `doubts` is why a person should look, `worked` how the learner worked (told, never marked),
    `reason` why a submission is unreadable. `commits` are the ids of the learner's own commits, `makers` who
    made them, the story's cast left out. `begun` is when the first of them was made by its own account,
    `ended` when the last was (in seconds since 1970, 0 where there is none). `unmet` counts the conflicts
    that were never come to, `conflicts_weight` is what all that the key knows weigh together. `work`
    tells this work from any other, wherever it lies. `made` is the graph of the learner's commits, `asked`
    the one after a solution. `settled` is a person's verdict on all of it. `parts` are what each role has of
    it; `role` is that of the learner whose share of it this is (0: it is all of it).
    """

    exercise: str
    title: str
    variant: str
    state: State
    criteria: tuple[CriterionResult, ...]
    hunks: tuple[HunkResult, ...]
    doubts: tuple[Finding, ...] = ()
    worked: tuple[Finding, ...] = ()
    reason: str = ""
    commits: tuple[str, ...] = ()
    makers: tuple[str, ...] = ()
    begun: int = 0
    ended: int = 0
    unmet: int = 0
    conflicts_weight: float = 0.0
    work: str = ""
    made: Graph | None = None
    asked: Graph | None = None
    settled: Settled | None = None
    parts: tuple[RolePart, ...] = ()
    role: int = 0

    @property
    def role_name(self) -> str:
        """What the role is called whose share this is; empty where it is all of the work."""
        return next((part.name for part in self.parts if part.role == self.role), "")

    @property
    def needs_a_look(self) -> tuple[str, ...]:
        """Why a person should look, in short sentences."""
        return _said(self.doubts)

    @property
    def notes(self) -> tuple[str, ...]:
        """How the learner worked, in short sentences."""
        return _said(self.worked)

    @property
    def points(self) -> float:
        """The points earned, to a tenth; where a person settled all of it, their share of the possible."""
        if self.settled and self.settled.earned is not None:
            return round(self.possible * self.settled.earned, 1)
        return points_of(self.criteria)

    @property
    def possible(self) -> float:
        """The points of everything that was assessed."""
        return possible_of(self.criteria)

    @property
    def percent(self) -> float:
        """The share of the points that was earned, in percent, to a tenth."""
        return percent_of(self.criteria, self.settled)


class _WithVerdict(Protocol):
    @property
    def id(self) -> str: ...
    @property
    def outcome(self) -> _HasVerdict: ...


class _HasVerdict(Protocol):
    @property
    def verdict(self) -> Verdict: ...


def made_own(criteria: Iterable[_WithVerdict]) -> bool:
    """Whether the conflicts were to be made by the learner: their texts and names are the learner's own."""
    return any(one.id == "made" and one.outcome.verdict != "skipped" for one in criteria)


class _WithPoints(Protocol):
    @property
    def points(self) -> float: ...
    @property
    def possible(self) -> float: ...


class _WithShare(Protocol):
    @property
    def earned(self) -> float | None: ...


def points_of(criteria: Iterable[_WithPoints]) -> float:
    """The points that criteria earn, to a tenth."""
    return round(sum(criterion.points for criterion in criteria), 1)


def possible_of(criteria: Iterable[_WithPoints]) -> float:
    """The points that criteria can earn, to a tenth."""
    return round(sum(criterion.possible for criterion in criteria), 1)


def percent_of(criteria: Sequence[_WithPoints], settled: _WithShare | None) -> float:
    """The share of the points that is earned, in percent, to a tenth; what a person settled goes before
    it."""
    if settled and settled.earned is not None:
        return round(100 * settled.earned, 1)
    possible = possible_of(criteria)
    return round(100 * points_of(criteria) / possible, 1) if possible else 0.0


def _said(findings: Iterable[Finding]) -> tuple[str, ...]:
    return tuple(brief(restored(finding).said, 300) for finding in findings)


def unreadable(reason: str, exercise: str = "", title: str = "", variant: str = "") -> Assessment:
    """The assessment of what can't be read. All of these texts may come from a submission; they are cut."""
    return Assessment(
        exercise=brief(exercise),
        title=brief(title),
        variant=brief(variant),
        state="unreadable",
        criteria=(),
        hunks=(),
        reason=brief(reason, 300),
    )
