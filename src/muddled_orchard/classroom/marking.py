"""Grade a class: submissions of any form, with what the ledger knows of learners and of earlier gradings."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from sys import intern
from typing import TYPE_CHECKING

from msgspec import Struct, field
from msgspec.structs import replace

from muddled_orchard import __version__
from muddled_orchard.classroom.standing import rules_of
from muddled_orchard.classroom.versions import scenarios_of_run
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.allowances import NOTHING_ALLOWED, Allowances
from muddled_orchard.core.course.class_entry import ClassEntry
from muddled_orchard.core.course.collected import Before, Collected
from muddled_orchard.core.course.findings import ClassFinding, findings
from muddled_orchard.core.course.practice import is_practice
from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner, shown_names
from muddled_orchard.core.exercise.claim import Claims, ExerciseVariant
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.grading.unseen import held_to
from muddled_orchard.files.archives.fingerprint import fingerprint
from muddled_orchard.files.archives.submissions import Handed
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.stored import Damaged
from muddled_orchard.files.stored_results import assessment_of
from muddled_orchard.system.processes import share
from muddled_orchard.system.workers import PORTIONS_AHEAD, Awaited, Machines, in_order

if TYPE_CHECKING:
    from muddled_orchard.classroom.parallel import Graders
    from muddled_orchard.files.course.ledger import Ledger

_NOTED_AT_ONCE = 64
_GRADED_AT_ONCE = 64
_WITH_RULES_AT_ONCE = 4
_IN_CLUSTER_AT_ONCE = 128  # each portion has to travel


class _LookedUp(Struct, frozen=True):
    """A submission with its fingerprint, and what is known of it already: what the ledger remembers, or why
    it can't be had."""

    handed: Handed
    digest: str
    known: Assessment | None


class GradingRun:
    """What a grading run knows: the scenarios, and who got which variant. `otherwise` is the id of the
    exercise that those are of which name none."""

    def __init__(
        self,
        library: ScenarioLibrary,
        ledger: Ledger | None = None,
        allowances: Allowances = NOTHING_ALLOWED,
        otherwise: str = "",
    ) -> None:
        self.ledger = ledger
        self.otherwise = otherwise
        self._allowances = allowances
        # Without their commits, which are asked for once: of a large class there are many.
        every = tuple(map(_slim, ledger.each_hand_out())) if ledger else ()
        self.hand_outs = tuple(hand_out for hand_out in every if hand_out.replaced is None)
        self.roster: dict[str, Learner] = ledger.learners() if ledger else {}
        self._names = shown_names(self.roster.values())
        self._had = {(hand_out.exercise, hand_out.learner) for hand_out in self.hand_outs}
        self._owners = {(hand_out.exercise, hand_out.variant): hand_out.learner for hand_out in every}
        self._teams = {place: tuple(members) for place, members in ledger.teams().items()} if ledger else {}
        self._rules = rules_of(ledger)
        self.unseen = self._rules.unseen
        # A ledger without gradings is only asked for what this run has met before.
        self._has_gradings = ledger is not None and ledger.has_gradings()
        self._met: set[str] = set()
        self._met_again: set[str] = set()
        self._handed_out = frozenset(hand_out.exercise for hand_out in every)
        self.scenarios = scenarios_of_run(library, ledger, every)

    def newest_known(self, digest: str) -> Grading | None:
        """The newest grading of a content, if the ledger has one."""
        asks = self._has_gradings or digest in self._met_again
        return self.ledger.newest_grading(digest) if self.ledger is not None and asks else None

    def graded(self, digest: str, how: str) -> Grading | None:
        """The newest grading of a content by this version, if the ledger has one."""
        (self._met_again if digest in self._met else self._met).add(digest)
        asks = self._has_gradings or digest in self._met_again
        return self.ledger.graded(digest, how) if self.ledger is not None and digest and asks else None

    def claims(self) -> Claims:
        """Which exercise and variant the commits belong to that branches of hand-outs stand at, as the ledger
        says, and what a submission is that says nothing."""
        found: dict[str, ExerciseVariant] = {}
        for hand_out in self.ledger.each_hand_out() if self.ledger else ():
            exercise = ExerciseVariant(hand_out.exercise, hand_out.variant)
            found |= dict.fromkeys((hand_out.first_commit, *hand_out.tips.values()), exercise)
        found.pop("", None)  # of what learners began themselves nothing is known beforehand
        return Claims(found, ExerciseVariant(self.otherwise, PLAIN_VARIANT) if self.otherwise else None)

    def collected(self, handed: Handed, assessment: Assessment, *, remembered: bool) -> list[Collected]:
        """A graded submission with its owner, by what the ledger handed out, with what persons settled; where
        a team has given it out by roles, for each of them what is theirs."""
        place = (assessment.exercise, assessment.variant)
        team = self._teams.get(place, ())
        whole = self._whole(handed, assessment, team, remembered=remembered)
        if not assessment.parts or not self._rules.with_roles(*place):
            return [whole]
        return [
            replace(
                whole, learner=who, name=self._names.get(who, who), assessment=self.counting(assessment, who)
            )
            for who in team or (whole.learner,)
        ]

    def _whole(
        self, handed: Handed, assessment: Assessment, team: tuple[str, ...], *, remembered: bool
    ) -> Collected:
        place = (assessment.exercise, assessment.variant)
        owner = team[0] if team else self._owners.get(place) or self._named(handed.name, assessment)
        practice = is_practice(assessment.variant)
        learner = owner or (self._first_of(handed.name) if practice else handed.name)
        other = owner is None and assessment.exercise in self._handed_out
        return Collected(
            submission=handed.place,
            learner=learner,
            name=", ".join(self._names.get(one, one) for one in team or (learner,)),
            known=owner is not None,
            assessment=assessment if owner is None else self.counting(assessment, owner),
            remembered=remembered,
            uncounted="practice" if practice else "not theirs" if other else "",
            team=team,
        )

    def _named(self, name: str, assessment: Assessment) -> str | None:
        """Whose it is by the name of its folder or file, where it says nothing itself."""
        says_nothing = (assessment.exercise, assessment.variant) == (self.otherwise, PLAIN_VARIANT)
        return name if says_nothing and (self.otherwise, name) in self._had else None

    def _first_of(self, name: str) -> str:
        """Whose practice it is, by the name of the folder or file that it came in: of a drill there are
        several."""
        first = name.partition("/")[0]
        return first if first in self.roster else name

    def counting(self, assessment: Assessment, learner: str) -> Assessment:
        """The assessment of what was handed out to a learner, as it counts."""
        return self._rules.counting(assessment, learner)

    def excused(self, learner: str, exercise: str) -> bool:
        """Whether an exercise counts nowhere for a learner."""
        return self._allowances.excused(learner, exercise)

    def findings(self, entries: Sequence[ClassEntry]) -> tuple[ClassFinding, ...]:
        """What the pile shows as a whole."""
        return tuple(findings(entries, self.hand_outs, self.roster, self._allowances))


def _slim(hand_out: HandOut) -> HandOut:
    """A hand-out as grading needs it: of a large class there are many."""
    return HandOut(
        exercise=intern(hand_out.exercise),
        learner=hand_out.learner,
        variant=hand_out.variant,
        scenario=intern(hand_out.scenario),
        first_commit="",
        tips=_NO_TIPS,
        file="",
        made=intern(hand_out.made),
        team=intern(hand_out.team),
        replaced=hand_out.replaced,
    )


_NO_TIPS: Mapping[str, str] = {}


class RunRecord(Struct):
    """What a run has come to, as the ledger has it whatever stops the run: how many gradings were known
    before, how many were written down, and those that are still to be."""

    known: int = 0
    written: int = 0
    waiting: list[Grading] = field(default_factory=list)

    @property
    def count(self) -> int:
        """How many submissions that is."""
        return self.known + self.written + len(self.waiting)

    def write(self, ledger: Ledger) -> None:
        """Write down what is still to be."""
        ledger.add_gradings(self.waiting)
        self.written += len(self.waiting)
        self.waiting = []


@contextmanager
def marked(
    handed: Sequence[Handed],
    run: GradingRun,
    bounds: Bounds,
    machines: Machines,
    *,
    again: bool = False,
    run_rules: bool = False,
    keep: RunRecord | None = None,
) -> Iterator[Iterator[Collected]]:
    """Grade submissions, in order. What the ledger has graded before, as it is now, is taken from there; what
    was graded afresh when this is left is written down, whatever stops the rest, and `keep` tells how many
    that are (None: nothing is written down)."""
    # What was graded without running the rules says nothing of them.
    how = f"{__version__} with rules run" if run_rules else __version__
    how += f" as {run.otherwise}" if run.otherwise else ""
    with _Portions(handed, run, bounds, machines, run_rules=run_rules) as portions:

        def looked_up(submission: Handed) -> _LookedUp:
            if submission.refused:
                return _LookedUp(submission, "", unreadable(submission.refused))
            digest = fingerprint(submission.path, bounds) if run.ledger else ""
            return _LookedUp(submission, digest, None if again else _remembered(run, digest, how))

        if run.ledger is not None and keep is not None:
            run.scenarios.keep_in(run.ledger)
        try:
            begun = in_order(portions.all(looked_up), portions.begin, portions.ahead)
            yield _gathered(begun, run, keep, how)
        finally:
            if run.ledger is not None and keep is not None and keep.waiting:
                keep.write(run.ledger)


class _Portions:
    """Submissions in portions, and what grades them: it begins when the first portion needs it, since it
    takes long to load; that of a cluster at once."""

    def __init__(
        self,
        handed: Sequence[Handed],
        run: GradingRun,
        bounds: Bounds,
        machines: Machines,
        *,
        run_rules: bool,
    ) -> None:
        self._handed, self._run, self._bounds = handed, run, bounds
        self._machines, self._runs = machines, run_rules
        self._stack = ExitStack()
        self._graders: Graders | None = None
        self._jobs = machines.jobs

    def __enter__(self) -> _Portions:
        if self._machines.cluster is not None:
            from muddled_orchard.classroom.parallel import graders_in_cluster

            about = (self._machines, self._run.scenarios, self._bounds, self._run.claims())
            entered = self._stack.enter_context(graders_in_cluster(*about, run_rules=self._runs))
            self._graders, self._jobs = entered, entered.size
        alone = _GRADED_AT_ONCE if self._machines.cluster is None else _IN_CLUSTER_AT_ONCE
        most = _WITH_RULES_AT_ONCE if self._runs else alone
        self._at_once = share(len(self._handed), self._jobs, most)
        self.ahead = PORTIONS_AHEAD * self._jobs
        return self

    def __exit__(self, *error: object) -> None:
        self._stack.close()

    def all(self, look_up: Callable[[Handed], _LookedUp]) -> Iterator[list[_LookedUp]]:
        """The portions in order, looked up as they are asked for."""
        for start in range(0, len(self._handed), self._at_once):
            yield [look_up(submission) for submission in self._handed[start : start + self._at_once]]

    def begin(self, portion: Sequence[_LookedUp]) -> Awaited[list[str]] | None:
        """Have what is not known of a portion graded; None where all of it is."""
        fresh = [looked_up.handed.path for looked_up in portion if looked_up.known is None]
        if not fresh:
            return None
        if self._graders is None:
            from muddled_orchard.vcs.ask import git

            with git.required():  # it answers while what grades is loaded
                from muddled_orchard.classroom.parallel import graders

            about = (self._run.scenarios.find, self._bounds, self._jobs, self._run.claims())
            making = graders(len(self._handed), self._at_once, *about, run_rules=self._runs)
            self._graders = self._stack.enter_context(making)
        return self._graders.submit(fresh)


def _gathered(
    begun: Iterable[tuple[Sequence[_LookedUp], Awaited[list[str]] | None]],
    run: GradingRun,
    keep: RunRecord | None,
    how: str,
) -> Iterator[Collected]:
    """Put remembered and fresh gradings in order, and write the fresh ones down portion by portion."""
    for portion, sent in begun:
        texts = iter(sent.result() if sent is not None else ())
        for looked_up in portion:
            text = next(texts) if looked_up.known is None else ""
            remembered = looked_up.known is not None and not looked_up.handed.refused
            assessment = looked_up.known or assessment_of(text)
            collected, *others = run.collected(looked_up.handed, assessment, remembered=remembered)
            if looked_up.known is None and run.ledger is not None and looked_up.digest:
                collected = replace(collected, before=_before(run, collected, looked_up.digest, how))
            if keep is not None and run.ledger is not None:
                if looked_up.known is None:
                    keep.waiting.append(
                        _written(looked_up.handed, collected, assessment, text, looked_up.digest, run, how)
                    )
                else:
                    keep.known += 1
                if len(keep.waiting) >= _NOTED_AT_ONCE:
                    keep.write(run.ledger)
            yield collected
            yield from others


# -- What the ledger remembers ----------------------------------------------------------------------------


def _remembered(run: GradingRun, digest: str, how: str) -> Assessment | None:
    known = run.graded(digest, how)
    if known is None or known.state == "unreadable":
        return None  # why it could not be read may have gone: a bound, a missing scenario
    if known.scenario != run.scenarios.digest(ExerciseVariant(known.exercise, known.variant)):
        return None
    try:
        return assessment_of(known.result)
    except Damaged:
        return None


def _before(run: GradingRun, collected: Collected, digest: str, how: str) -> Before | None:
    """What the same work came to when it was last graded, as it would count now."""
    grading = run.newest_known(digest)
    if grading is None or not collected.known or grading.learner != collected.learner:
        return None
    try:
        assessment = run.counting(assessment_of(grading.result), grading.learner)
    except Damaged:
        return None
    now = run.scenarios.digest(_hand_out_of(collected.assessment))
    why = ["the scenario was changed"] if grading.scenario != now else []
    why += [f"graded by {grading.version} before"] if grading.version != how else []
    return Before(assessment, " and ".join(why))


def _written(
    handed: Handed,
    collected: Collected,
    assessment: Assessment,
    text: str,
    digest: str,
    run: GradingRun,
    how: str,
) -> Grading:
    """The grader's own result as the ledger keeps it: what persons settle is kept beside it."""
    if collected.known:
        assessment = held_to(assessment, run.unseen)
    return Grading(
        submission=_as_text(collected.submission),
        fingerprint=digest,
        version=how,
        scenario=run.scenarios.digest(_hand_out_of(assessment)),
        exercise=assessment.exercise,
        variant=assessment.variant,
        learner=collected.learner if collected.known else None,
        state=assessment.state,
        points=assessment.points,
        possible=assessment.possible,
        result=text,
        pile=_as_text(handed.pile),
    )


def _hand_out_of(assessment: Assessment) -> ExerciseVariant:
    return ExerciseVariant(assessment.exercise, assessment.variant)


def _as_text(path: str) -> str:
    """A path as text that any database takes."""
    return path.encode("utf-8", "backslashreplace").decode()
