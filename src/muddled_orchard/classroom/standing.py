"""What a course holds as it counts: every grading with what persons settled, attempts and totals."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from sys import intern
from typing import TYPE_CHECKING

from msgspec.structs import replace

from muddled_orchard.core.course.allowances import Allowances
from muddled_orchard.core.course.class_record import ClassRecord, Rules
from muddled_orchard.core.course.plan import CourseExercise, CoursePlan
from muddled_orchard.core.course.records import Grading, Work
from muddled_orchard.core.course.roster import shown_names
from muddled_orchard.core.course.totals import Standing, attempts_of, totals
from muddled_orchard.core.grading.settling import Settlement
from muddled_orchard.core.grading.shared_work import Member
from muddled_orchard.core.grading.unseen import unseen_word
from muddled_orchard.core.grading.verdicts import ConflictVerdict, CriterionVerdict, Verdicts, verdicts
from muddled_orchard.files.stored import Damaged
from muddled_orchard.files.stored_results import assessment_of, verdicts_of

if TYPE_CHECKING:
    from muddled_orchard.files.course.course_file import CourseFile
    from muddled_orchard.files.course.ledger import Ledger


def rules_of(ledger: Ledger | None) -> Rules:
    """The rules that a ledger holds; those of no course without one."""
    if ledger is None:
        return Rules(None, {})
    grouped: dict[tuple[str, str], list[Settlement]] = {}
    for settlement in ledger.settlements():
        grouped.setdefault((settlement.learner, settlement.exercise), []).append(settlement)
    return Rules(unseen_word(ledger.setting("unseen")), grouped, _members_with_roles(ledger))


def _members_with_roles(ledger: Ledger) -> dict[tuple[str, str], list[Member]]:
    """Who has which role in what a team shares, by exercise and variant."""
    roles = ledger.roles()
    found: dict[tuple[str, str], list[Member]] = {}
    learners, teams = (ledger.learners(), ledger.teams()) if roles else ({}, {})
    for who, *place in roles:
        members = teams.get((place[0], place[1]), [who])  # of a team one may be left alone
        found[place[0], place[1]] = [
            Member(one, learners[one].name, roles.get((one, place[0], place[1]), 0)) for one in members
        ]
    return found


def allowances_of(ledger: Ledger | None, plan: CoursePlan | None) -> Allowances:
    """What everybody is allowed: what a person said since goes before what the course file says."""
    return Allowances([*(plan.allowances if plan else ()), *(ledger.allowances() if ledger else ())])


def read_class(ledger: Ledger, course: CourseFile | None = None) -> ClassRecord:
    """All that a ledger holds of a class. Without a course every exercise counts alike, in the order in which
    they were handed out. What one of a team handed in is the work of each of them."""
    learners, given, rules, teams = ledger.learners(), ledger.given(), rules_of(ledger), ledger.teams()
    works = [
        _work(grading if whose is None else replace(grading, learner=whose), rules)
        for grading in ledger.each_grading()
        for whose in teams.get((grading.exercise, grading.variant), (None,))
    ]
    if course is not None:
        plan, ids = course.plan, dict(course.ids)
    else:
        ids = {id_: id_ for id_ in _exercises(given, works)}
        plan = CoursePlan(
            title="The class", exercise=tuple(CourseExercise(scenario=id_) for id_ in ids) or _NONE
        )
    allowances = allowances_of(ledger, course.plan if course else None)
    attempts = attempts_of(plan, ids, works, allowances)
    settlements = [settlement for several in rules.settlements.values() for settlement in several]
    found = totals(plan, ids, attempts, given, learners, settlements, allowances)
    return ClassRecord(
        learners=learners,
        names=shown_names(learners.values()),
        given=given,
        titles=ledger.titles(),
        works=works,
        rules=rules,
        teams=teams,
        standing=Standing(plan, tuple(ids.values()), tuple(attempts), tuple(found)),
    )


_NONE = (CourseExercise(scenario="-"),)
"""The exercises of a course that has none: a plan has at least one."""


def _exercises(given: Iterable[tuple[str, str]], works: Sequence[Work]) -> list[str]:
    handed_out = (exercise for _, exercise in given)
    graded = (work.grading.exercise for work in works if work.grading.learner is not None)
    return list(dict.fromkeys((*handed_out, *graded)))


def _work(grading: Grading, rules: Rules) -> Work:
    alike = {name: intern(getattr(grading, name)) for name in _MUCH_ALIKE}
    if grading.learner is not None:
        alike["learner"] = intern(grading.learner)
    bare = replace(grading, result="", **alike)
    found: Verdicts | None
    try:
        found = verdicts_of(grading.result)
        if grading.learner is not None and (
            (grading.learner, grading.exercise) in rules.settlements
            or rules.with_roles(grading.exercise, grading.variant)
            or any(criterion.outcome.unseen for criterion in found.criteria)
        ):
            whole = assessment_of(grading.result)
            found = verdicts(rules.counting(whole, grading.learner))
    except Damaged:
        return Work(bare, None)
    return Work(bare, replace(found, criteria=_shared(found.criteria), hunks=tuple(map(_lean, found.hunks))))


_MUCH_ALIKE = ("graded", "version", "scenario", "exercise", "state")
"""What many gradings have in common, and need not each hold for itself."""


@lru_cache(maxsize=4_096)
def _shared(criteria: tuple[CriterionVerdict, ...]) -> tuple[CriterionVerdict, ...]:
    """The same object for equal verdicts: most of a class is alike, and a large one has many."""
    return criteria


def _lean(hunk: ConflictVerdict) -> ConflictVerdict:
    """The same conflict with texts that many have in common held once."""
    texts = {name: intern(text) for name in _TEXTS if (text := getattr(hunk, name)) is not None}
    return replace(hunk, **texts)


_TEXTS = ("file", "kept", "outcome", "base", "ours", "theirs", "left")
