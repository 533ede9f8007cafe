"""A class as a course has it: who takes part, what was handed out, and every grading as it counts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct, field

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.records import Work
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.totals import Attempt, Standing
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.settling import Settlement, in_force, settled
from muddled_orchard.core.grading.shared_work import Member, share_of
from muddled_orchard.core.grading.unseen import Unseen, held_to


class Rules(Struct, frozen=True):
    """How gradings count in a course: what is earned where a submission can't show it, every person's verdict
    by learner and exercise, the oldest first, and who has which role in a hand-out that a team shares, by
    exercise and variant."""

    unseen: Unseen | None
    settlements: Mapping[tuple[str, str], Sequence[Settlement]]
    roles: Mapping[tuple[str, str], Sequence[Member]] = field(default_factory=dict)

    def counting(self, assessment: Assessment, learner: str) -> Assessment:
        """The assessment of work that was handed out to a learner, as it counts."""
        settlements = self.settlements.get((learner, assessment.exercise), ())
        own = held_to(self.share_of(assessment, learner), self.unseen)
        return settled(own, in_force(settlements, assessment.work))

    def share_of(self, assessment: Assessment, learner: str) -> Assessment:
        """What of the assessment of a work is a learner's, as it was graded."""
        return share_of(assessment, learner, self.with_roles(assessment.exercise, assessment.variant))

    def with_roles(self, exercise: str, variant: str) -> Sequence[Member]:
        """Those who share a hand-out and have roles in it; nobody where it has none."""
        return self.roles.get((exercise, variant), ())


class ClassRecord(Struct, frozen=True, kw_only=True):
    """All that is known of a class: the roster and what everybody is called by id, who was handed out what
    (learner, exercise), the exercises' titles by id, every grading as it counts, the rules by which it does,
    who shares a hand-out (by exercise and variant), and the attempts and totals that they come to."""

    learners: Mapping[str, Learner]
    names: Mapping[str, str]
    given: Sequence[tuple[str, str]]
    titles: Mapping[str, str]
    works: Sequence[Work]
    rules: Rules
    standing: Standing
    teams: Mapping[tuple[str, str], Sequence[str]] = field(default_factory=dict)

    def name(self, learner: str) -> str:
        """What a learner is called: the name, with the id where several have it."""
        return self.names.get(learner, learner)

    def is_first_of_team(self, attempt: Attempt) -> bool:
        """Whether an attempt is to be counted where a team's counts once: for the first of the team; where
        they have given the tasks out, for each of them."""
        grading = attempt.work.grading
        if self.rules.with_roles(grading.exercise, grading.variant):
            return True
        members = self.teams.get((grading.exercise, grading.variant), (attempt.learner,))
        return attempt.learner == members[0]

    def title(self, exercise: str) -> str:
        """An exercise's title, or its id where that is not known."""
        return self.titles.get(exercise, exercise)

    def waiting(self) -> Iterator[Attempt]:
        """The attempts that count and need a look, in the order of the roster and the course."""
        for total in self.standing.totals:
            for mark in total.counting:
                verdicts = mark.attempt.work.verdicts if mark.attempt else None
                if mark.attempt and verdicts and verdicts.doubts:
                    yield mark.attempt


class WorkToSettle(Struct, frozen=True):
    """What one learner made of one exercise: the attempt (None: nothing was handed in), as the grader had it,
    and as it counts (None: nothing can be read of it)."""

    learner: str
    exercise: str
    attempt: Attempt | None
    graded: Assessment | None
    counting: Collected | None

    @property
    def work(self) -> str:
        """What tells this work from others; empty where there is none."""
        return self.graded.work if self.graded else ""
