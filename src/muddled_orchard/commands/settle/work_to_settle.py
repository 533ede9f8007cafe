"""Let a person say the last word: find the work that a verdict is about, write it down, take it back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime, tzinfo
from typing import TYPE_CHECKING

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.allowances import Allowance
from muddled_orchard.core.course.class_record import WorkToSettle
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.totals import Attempt
from muddled_orchard.core.grading.settling import ALL, Settlement, about_of, in_force
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.stored import Damaged
from muddled_orchard.files.stored_results import assessment_of

if TYPE_CHECKING:
    from muddled_orchard.files.course.course_file import CourseFile


class Settling:
    """The class as the ledger holds it, and the verdicts of persons on it."""

    def __init__(self, ledger: Ledger, course: CourseFile | None) -> None:
        self._ledger, self._course = ledger, course
        self.read()

    def read(self) -> None:
        """Read the ledger, again after something was settled."""
        self.record = read_class(self._ledger, self._course)

    def work_of(self, learner: str, exercise: str, submission: str | None = None) -> WorkToSettle:
        """What a learner made of an exercise: the attempt that counts, or the one that lay at `submission`.
        Raises BadInput where there is no such learner, exercise or attempt."""
        if learner not in self.record.learners:
            what = f'there is no learner "{learner}"'
            raise BadInput(Problem(what, likely(learner, self.record.learners)))
        standing = self.record.standing
        total = next(one for one in standing.totals if one.learner == learner)
        mark = next((one for one in total.marks if one.exercise == exercise), None)
        if mark is None:
            what = f'"{exercise}" was not handed out to {learner}'
            raise BadInput(Problem(what, likely(exercise, [one.exercise for one in total.marks])))
        attempt = mark.attempt
        if submission is not None:
            own = [one for one in standing.attempts if (one.learner, one.exercise) == (learner, exercise)]
            attempt = next((one for one in own if one.submission == submission), None)
            if attempt is None:
                what = f'{learner} handed in no "{submission}" for {exercise}'
                raise BadInput(Problem(what, likely(submission, [one.submission for one in own])))
        return self.work(learner, exercise, attempt)

    def work(self, learner: str, exercise: str, attempt: Attempt | None) -> WorkToSettle:
        """What a learner made of an exercise, in full."""
        if attempt is None:
            return WorkToSettle(learner, exercise, None, None, None)
        grading = attempt.work.grading
        try:
            (_, text), *_ = self._ledger.results([grading.id])
            graded = self.record.rules.share_of(assessment_of(text), learner)
        except Damaged:
            return WorkToSettle(learner, exercise, attempt, None, None)
        counting = Collected(
            submission=attempt.submission,
            learner=learner,
            name=self.record.learners[learner].name,
            known=True,
            assessment=self.record.rules.counting(graded, learner),
            remembered=True,
        )
        return WorkToSettle(learner, exercise, attempt, graded, counting)

    def sharing(self, work: WorkToSettle) -> list[str]:
        """The others of a team who share what a learner was handed out."""
        teams = (them for (exercise, _), them in self.record.teams.items() if exercise == work.exercise)
        them = next((them for them in teams if work.learner in them), [])
        return [learner for learner in them if learner != work.learner]

    def settle(
        self, works: Sequence[WorkToSettle], named: str, earned: float | None, by: str, reason: str
    ) -> Settlement | None:
        """Write a verdict down, on the work of all who made it; the one on the same thing that it takes the
        place of. Raises BadInput where it can't be about what was `named`, or they made different things."""
        settlements = [self._about(work, named, earned, by, reason) for work in works]
        others = [it.learner for it in settlements if it.work != settlements[0].work]
        if others:
            what = f"{listed(others)} handed in something else for {works[0].exercise} that counts"
            raise BadInput(Problem(what, "Settle it for each by themselves, without --team."))
        before = self._in_force(works[0], settlements[0].about)
        self._ledger.settle(*settlements)
        self.read()
        return before

    def zone_of(self, exercise: str) -> tzinfo | None:
        """The time zone in which the course says when an exercise is due; None where it says nothing."""
        plan = self.record.standing.plan
        named = {self._course.ids[one.scenario]: one for one in plan.exercise} if self._course else {}
        due = named[exercise].due if exercise in named else None
        return due.tzinfo if due is not None else None

    def allow(
        self, works: Iterable[WorkToSettle], due: datetime | None, by: str, reason: str
    ) -> list[Allowance]:
        """Write down that learners have time until then, or are excused (None)."""
        allowances = [
            Allowance(learner=work.learner, exercise=work.exercise, due=due, by=by, reason=reason)
            for work in works
        ]
        self._ledger.allow(*allowances)
        self.read()
        return allowances

    def disallow(self, works: Sequence[WorkToSettle]) -> list[Allowance]:
        """Take back what was allowed last to each; what that was. Raises BadInput where nothing was."""
        allowed = {(it.learner, it.exercise): it for it in self._ledger.allowances()}
        own = [allowed[place] for work in works if (place := (work.learner, work.exercise)) in allowed]
        if not own or not self._ledger.disallow(*own):
            what = f"nothing is to take back that {_who(works)} was allowed for {works[0].exercise}"
            raise BadInput(Problem(what, "What the course file says is changed there."))
        self.read()
        return own

    def undo(self, works: Sequence[WorkToSettle], named: str) -> tuple[Settlement, Settlement | None]:
        """Take the newest verdict on something back, for all whose work it is: that verdict, and the one that
        holds again. Raises BadInput where there is none."""
        newest = [found for work in works if (found := self._newest(work, named)) is not None]
        if not newest or not self._ledger.unsettle(*newest):
            on = "" if named == ALL else f" on {named}"
            what = f"there is no verdict{on} to take back for {_who(works)}, {works[0].exercise}"
            raise BadInput(Problem(what, "muddled settle lists those that were given."))
        self.read()
        of_it = next(work for work in works if work.learner == newest[0].learner)
        return newest[0], self._in_force(of_it, newest[0].about)

    def _newest(self, work: WorkToSettle, named: str) -> Settlement | None:
        # What a verdict is about may have gone from the grading: then it is called by its full name.
        newest = self._in_force(work, named)
        if newest is None and work.graded is not None:
            newest = self._in_force(work, about_of(work.graded, named))
        return newest

    def _in_force(self, work: WorkToSettle, about: str) -> Settlement | None:
        settlements = self.record.rules.settlements.get((work.learner, work.exercise), ())
        return next(
            (settlement for settlement in in_force(settlements, work.work) if settlement.about == about), None
        )

    def _about(
        self, work: WorkToSettle, named: str, earned: float | None, by: str, reason: str
    ) -> Settlement:
        if work.graded is None and named != ALL:
            what = f"{work.learner} has handed in nothing for {work.exercise} that could be read"
            raise BadInput(Problem(what, "Only all of it can be settled: leave --on out."))
        if work.attempt is None and earned is None:
            raise BadInput(Problem(f"{work.learner} has handed in nothing for {work.exercise}"))
        about = ALL if work.graded is None else about_of(work.graded, named)
        # What is said of all of it holds whatever is handed in; all else of the work that was looked at.
        whole = about == ALL and earned is not None
        if not whole and not work.work:
            what = f"this work of {work.learner} was graded by an earlier version, or its result has gone"
            raise BadInput(Problem(what, "Grade it again first: muddled grade."))
        return Settlement(
            learner=work.learner,
            exercise=work.exercise,
            work="" if whole else work.work,
            about=about,
            earned=earned,
            by=by,
            reason=reason,
        )


def _who(works: Iterable[WorkToSettle]) -> str:
    return listed([work.learner for work in works])
