"""What a host serves: the exercises that are open, each learner's repository, and what the course says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path

from msgspec import Struct

from muddled_orchard.classroom.handing_out import earlier_version, enrol, exercises_in, once_more
from muddled_orchard.classroom.making import HOSTED, Exercise, hand_out_of, lying_there, made, whole_folder
from muddled_orchard.classroom.practising import exercise_to_practise, give_practice
from muddled_orchard.classroom.roles import give_roles
from muddled_orchard.classroom.standing import allowances_of
from muddled_orchard.classroom.versions import Mended
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.allowances import NOTHING_ALLOWED
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.plan import CourseExercise, CoursePlan, Feedback, feedback_at
from muddled_orchard.core.course.practice import is_practice_id, practice_id
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.teams import roles_after, whose_repository
from muddled_orchard.core.exercise.arriving import (
    ARRIVED,
    Coming,
    arrivals,
    as_served,
    coming_of,
    remote_then,
)
from muddled_orchard.core.exercise.cloning import beyond_a_clone, lies_uncommitted, needs_reflog
from muddled_orchard.core.exercise.roles import has_roles
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.exercise.variants import Variant
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.grading.shared_work import Member
from muddled_orchard.core.key.graph import Graph, of_variant
from muddled_orchard.files.archives.packing import FORMATS, pack
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.vcs.planting import example_of, practice_of
from muddled_orchard.vcs.put_back import put_back
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.pushed import PushSnapshot
from muddled_orchard.vcs.read.quarantine import refs_of
from muddled_orchard.vcs.write.memory import loose_path


class Opened(Struct, frozen=True):
    """What opening exercises came to: how many hand-outs lay there that the ledger did not know, and the
    scenarios that were changed since they were handed out."""

    lying_there: int
    mended: tuple[Mended, ...]


class ServedExercise(Struct, frozen=True):
    """An exercise of the course, or one to practise: its rules, the scenario with what all hand-outs share,
    and what a clone of it lacks."""

    rules: CourseExercise
    exercise: Exercise
    lacks: tuple[str, ...]
    practice: bool = False

    @property
    def id(self) -> str:
        """Under which it is served: the scenario's own where it is of the course."""
        id_ = self.exercise.scenario.id
        return practice_id(id_) if self.practice else id_

    @property
    def title(self) -> str:
        """The scenario's title."""
        return self.exercise.scenario.title.strip()

    @property
    def takes_folder(self) -> bool:
        """Whether a push can't show all that is asked, so that the folder is handed in."""
        scenario = self.exercise.scenario
        return needs_reflog(scenario) or lies_uncommitted(scenario)

    def is_open(self, now: datetime) -> bool:
        """Whether it is handed out already."""
        return self.rules.opens is None or now >= self.rules.opens


class ServedCourse:
    """A course as it is served, with the learners, and the folder that the repositories lie in."""

    def __init__(
        self,
        plan: CoursePlan,
        exercises: Sequence[ServedExercise],
        learners: Sequence[Learner],
        folder: Path,
    ) -> None:
        self.plan = plan
        self.exercises = {exercise.id: exercise for exercise in exercises}
        self.learners = {learner.id: learner for learner in learners}
        self.folder = folder
        self._practised: dict[str, ServedExercise] = {}
        self._coming: dict[tuple[str, str], tuple[Coming, ...]] = {}
        self._given: dict[tuple[str, str], HandOut] = {}
        self._roles: dict[tuple[str, str, str], int] = {}
        self._replaced: dict[tuple[str, str], list[HandOut]] = {}
        self.allowances = NOTHING_ALLOWED
        self._versions = {exercise.exercise.digest: exercise.exercise for exercise in exercises}
        if INSTRUCTOR in self.learners:
            what = f'the roster has a learner "{INSTRUCTOR}", which is how the instructor signs in'
            raise BadInput(Problem(what, "Give that learner another id."))

    def hand_out(self, ledger: Ledger, now: datetime, jobs: int = 1) -> Opened:
        """Make the repositories that are not there yet, of exercises that are open; what lies there is taken
        as it is. Raises BadInput."""
        opened = [exercise.exercise for exercise in self.exercises.values() if exercise.is_open(now)]
        teams = [exercise.id for exercise in self.exercises.values() if exercise.rules.team]
        learners = list(self.learners.values())
        enrolment = enrol(ledger, opened, learners, self.folder, for_teams=teams)
        there = lying_there(enrolment.exercises, enrolment.wanted, self.folder)
        with made(enrolment.exercises, enrolment.wanted, self.folder, jobs) as portions:
            for portion in portions:
                ledger.add_hand_outs(portion)
        given = {exercise.id: exercise.rules.roles for exercise in self.exercises.values()}
        give_roles(ledger, opened, given)
        self.read_given(ledger)
        for hand_out in self._given.values():
            if (hand_out.learner, hand_out.exercise) in self._replaced and self.given(*_place_of(hand_out)):
                self._put_back_if_gone(hand_out)
        return Opened(there, tuple(one for one in enrolment.mended if one.before))

    def read_given(self, ledger: Ledger) -> None:
        """Go by what the ledger says that everybody has, and is allowed."""
        self._given, self._replaced = {}, {}
        self._roles = ledger.roles()
        for one in (*ledger.each_hand_out(), *ledger.each_hand_out(practice=True)):
            if one.replaced is None:
                self._given[_place_of(one)] = one
            else:
                self._replaced.setdefault(_place_of(one), []).append(one)
            practice = is_practice_id(one.exercise)
            if (practice or one.exercise in self.exercises) and one.scenario not in self._versions:
                self._versions[one.scenario] = earlier_version(ledger, one.scenario, HOSTED)
            if practice and one.exercise not in self._practised:
                self._practised[one.exercise] = _to_practise(self._versions[one.scenario])
        self.read_allowances(ledger)

    def take_versions(self, before: ServedCourse) -> None:
        """What was read of earlier versions need not be read again."""
        self._versions = {**before._versions, **self._versions}

    def served(self, exercise: str) -> ServedExercise | None:
        """An exercise of the course, or one that somebody practises, by the id under which it is served."""
        return self.exercises.get(exercise) or self._practised.get(exercise)

    def title(self, exercise: str) -> str:
        """The title of an exercise that is served."""
        return self._served(exercise).title

    def opens(self, exercise: str) -> datetime | None:
        """When an exercise that is served opens; None where it is open for whoever has it."""
        return self._served(exercise).rules.opens

    def _served(self, exercise: str) -> ServedExercise:
        found = self.served(exercise)
        if found is None:
            raise KeyError(exercise)
        return found

    def practised(self, learner: str) -> list[HandOut]:
        """What a learner has to practise, in the order in which they got it."""
        return [
            one for (who, exercise), one in self._given.items() if who == learner and is_practice_id(exercise)
        ]

    def practise(self, ledger: Ledger, learner: str, exercise: Exercise) -> HandOut:
        """Give a learner an exercise to practise, and write that down; its repository is still to follow
        (`put_back`) where it was there before."""
        place = self.place(learner, practice_id(exercise.scenario.id))
        given = give_practice(ledger, learner, exercise, self.folder, place)
        self._versions.setdefault(exercise.digest, exercise)
        self.read_given(ledger)
        return given

    def read_allowances(self, ledger: Ledger) -> None:
        """Go by what everybody is allowed now."""
        self.allowances = allowances_of(ledger, self.plan)

    def of_push(self, push: RecordedPush) -> HandOut | None:
        """What a learner had when they pushed: another variant may have taken its place since."""
        place = (push.learner, push.exercise)
        if self.given(*place) is None:
            return None
        earlier = (one for one in self._replaced.get(place, ()) if push.at < (one.replaced or ""))
        return next(earlier, self._given[place])

    def another(self, ledger: Ledger, learner: str, exercise: str) -> HandOut:
        """Give a learner another variant of an exercise, and write that down; the repository is still to
        follow (`put_back`)."""
        if is_practice_id(exercise):
            id_ = self._served(exercise).exercise.scenario.id
            return self.practise(ledger, learner, exercise_to_practise(id_))
        present = self.exercises[exercise].exercise
        again = once_more(ledger, learner, exercise, HOSTED, present, other=True)
        made = [
            hand_out_of(
                present,
                practice_of(present.variants, one.code),
                one.code,
                one.learner,
                one.team,
                self.place(one.learner, exercise),
            )
            for one in again.wanted
        ]
        ledger.add_hand_outs(made)
        give_roles(ledger, [present], {exercise: self.exercises[exercise].rules.roles})
        self.read_given(ledger)
        return self._given[learner, exercise]

    def put_back(self, hand_out: HandOut) -> None:
        """Give a repository its handed-out branches. Raises GitFailed or Unreadable where that can't be."""
        practice = practice_of(self.version(hand_out).variants, hand_out.variant)
        repository = self.folder / self.place(*_place_of(hand_out))
        put_back(repository, practice.hosted(), refs_of(DiskSource(repository)))

    def _put_back_if_gone(self, hand_out: HandOut) -> None:
        """A host may have been killed before a repository followed."""
        if not hand_out.first_commit:
            return
        objects = self.folder / self.place(*_place_of(hand_out)) / "objects"
        if not (objects / loose_path(hand_out.first_commit)).exists() and not list(
            objects.glob("pack/*.pack")
        ):
            self.put_back(hand_out)

    def version(self, hand_out: HandOut) -> Exercise:
        """The version of an exercise that a hand-out is of."""
        return self._versions[hand_out.scenario]

    def given(self, learner: str, exercise: str) -> HandOut | None:
        """What a learner was handed out of an exercise that is served, if anything."""
        hand_out = self._given.get((learner, exercise))
        return (
            hand_out
            if hand_out is not None and self.served(exercise) is not None and learner in self.learners
            else None
        )

    def all_given(self) -> list[tuple[str, str]]:
        """Learner and exercise of all that is served."""
        return [place for place in self._given if self.given(*place)]

    def handed_out_refs(self, hand_out: HandOut) -> dict[str, str]:
        """The refs of a repository as it was handed out, by full name."""
        exercise = self.version(hand_out)
        if not exercise.variants.of(hand_out.variant).history.remote:
            return {branch_ref(branch): id_ for branch, id_ in hand_out.tips.items()}
        return {branch_ref(branch): id_ for branch, id_ in self._remote_then(hand_out, {}).items()}

    def coming_to(self, hand_out: HandOut) -> tuple[Coming, ...]:
        """What a teammate pushes to a repository meanwhile, whether it has by now or not."""
        variant = self.variant(hand_out)
        if not any(entry.arrives for entry in variant.scenario.story):
            return ()
        place = (hand_out.exercise, hand_out.variant)
        if place not in self._coming:
            ids = example_of(self.version(hand_out).variants, hand_out.variant).ids
            self._coming[place] = coming_of(variant.scenario, variant.history, ids)
        return self._coming[place]

    def _remote_then(self, hand_out: HandOut, refs: Mapping[str, str]) -> dict[str, str]:
        """Where the branches of a remote of the exercise's own stood as far as only teammates have moved
        them; `refs` say what had arrived."""
        practice = example_of(self.version(hand_out).variants, hand_out.variant)
        coming = arrivals(practice.scenario, practice.history)
        stood = remote_then(practice.history, coming, refs)
        return {branch: practice.ids[number] for branch, number in stood.items()}

    def place_of_folders(self, learner: str, exercise: str) -> str:
        """Where the folders are kept that a learner handed in, below the folder."""
        return f"{exercise}/{learner}.folders"

    def place(self, learner: str, exercise: str) -> str:
        """The path of a repository below the folder."""
        return f"{exercise}/{self.whose_repository(learner, exercise)}.git"

    def whose_repository(self, learner: str, exercise: str) -> str:
        """In whose place the repository of a learner lies: that of the first of a team is all of theirs."""
        had = self._given.get((learner, exercise))
        return whose_repository(learner, had.team if had is not None else "", had, self.learners.values())

    def sharing(self, learner: str, exercise: str) -> list[str]:
        """The learners whose repository it is: one, or a team, in the order of the ledger."""
        place = self.whose_repository(learner, exercise)
        had = self._given.get((learner, exercise))
        if had is None or not had.team:
            return [learner]
        return [
            who
            for who in self.learners
            if (who, exercise) in self._given and self.whose_repository(who, exercise) == place
        ]

    def team_of(self, hand_out: HandOut) -> list[Member]:
        """Those who share a repository in which tasks are given out by role, with their roles (0: none yet);
        nobody where no task is, or where one works alone."""
        whose = self.sharing(hand_out.learner, hand_out.exercise)
        if len(whose) < 2 or not has_roles(self.version(hand_out).scenario.task):
            return []
        place = (hand_out.exercise, hand_out.variant)
        return [Member(one, self.learners[one].name, self._roles.get((one, *place), 0)) for one in whose]

    def choose_role(self, ledger: Ledger, hand_out: HandOut, role: int) -> None:
        """Write down which role a learner has chosen. Raises BadInput where they can't have it."""
        team = self.team_of(hand_out)
        had = {one.id: one.role for one in team if one.role}
        chosen = roles_after([one.id for one in team], had, hand_out.learner, role)
        place = (hand_out.exercise, hand_out.variant)
        ledger.give_roles({(who, *place): number for who, number in chosen.items()})
        self._roles = ledger.roles()

    def due(self, learner: str, exercise: str) -> datetime | None:
        """When a learner's work has to be in."""
        return self.allowances.due(learner, exercise, self._served(exercise).rules.due)

    def feedback(self, learner: str, exercise: str, now: datetime) -> Feedback:
        """What a learner hears of a push at a moment."""
        due = self.due(learner, exercise)
        return feedback_at(self.plan, self._served(exercise).rules, due, now)

    def places_of(self, learner: str) -> list[Path]:
        """Everywhere that something of a learner is kept."""
        ids = [exercise for who, exercise in self._given if who == learner]
        of_one = (self.place, self.place_of_folders)
        return [
            self.folder / place(learner, id_)
            for id_ in dict.fromkeys((*self.exercises, *ids))
            for place in of_one
        ]

    def snapshot(self, hand_out: HandOut, refs: Mapping[str, str]) -> PushSnapshot:
        """A push to a repository that was handed out, as a submission."""
        variant = self.variant(hand_out)
        history = variant.history
        repository = self.folder / self.place(hand_out.learner, hand_out.exercise)
        if not history.remote:
            return PushSnapshot(repository, refs, history.checked_out)
        before = self._remote_then(hand_out, refs)
        there = {name: id_ for name, id_ in refs.items() if not name.startswith(ARRIVED)}
        to_go = tuple(task.delete for task in variant.scenario.task if task.delete)
        return PushSnapshot(repository, there, history.checked_out, hand_out.tips, before, to_go)

    def variant(self, hand_out: HandOut) -> Variant:
        """The variant that was handed out."""
        return self.version(hand_out).variants.of(hand_out.variant)

    def graph(self, hand_out: HandOut) -> Graph:
        """What was handed out, drawn."""
        exercise = self.version(hand_out)
        return of_variant(exercise.graph, exercise.key, self.variant(hand_out).history)

    def archive(self, hand_out: HandOut, url: str) -> bytes:
        """The practice folder of a hand-out, packed, with the repository at `url` as its remote."""
        exercise = self.version(hand_out)
        practice = practice_of(exercise.variants, hand_out.variant)
        return pack(whole_folder(exercise, practice, url), hand_out.exercise, FORMATS[0])


def _place_of(hand_out: HandOut) -> tuple[str, str]:
    return hand_out.learner, hand_out.exercise


def served_exercises(rules: Mapping[str, CourseExercise]) -> list[ServedExercise]:
    """The exercises of a course, in order, by the place of each scenario. Raises BadInput with all that is
    wrong with them."""
    exercises = exercises_in(list(rules), HOSTED)
    return [
        ServedExercise(about, exercise, _lacks(exercise))
        for about, exercise in zip(rules.values(), exercises, strict=True)
    ]


def _to_practise(exercise: Exercise) -> ServedExercise:
    """What is told of practice does not depend on what the course tells of its exercises."""
    rules = CourseExercise(
        scenario=exercise.scenario.id, weight=0, feedback="hints", feedback_after_due="hints", again=True
    )
    return ServedExercise(rules, exercise, _lacks(exercise), practice=True)


def _lacks(exercise: Exercise) -> tuple[str, ...]:
    variant = exercise.variants.of(PLAIN_VARIANT)
    coming = arrivals(variant.scenario, variant.history)
    return beyond_a_clone(variant.scenario, as_served(variant.history, coming))
