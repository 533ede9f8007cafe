"""Practising until it sits: what a learner alone does next, by what went right and wrong before.

A skill is an operation or a kind of conflict. It sits when it was right three times in a row, each time with
other values, and at least one of them on a later day: what is recalled again after a while stays (spaced and
successive practice: Cepeda et al. 2006, Psychological Bulletin 132(3); Rawson and Dunlosky 2011, Journal of
Experimental Psychology: General 140(3)). Skills take turns, since mixed practice teaches to tell them apart
(interleaving: Rohrer and Taylor 2007, Instructional Science 35).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta

from msgspec import Struct

from muddled_orchard.core.base.problems import Problem, likely
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.summary import got_it
from muddled_orchard.core.key.exercise_summary import ExerciseSummary

ROW = 3
"""How often in a row a skill has to be right."""

MOST_FAILED = 3
"""How often one work may be looked at and wrong, before the same task comes with other values."""

_LATER = timedelta(hours=20)
"""How long after the first of a row another one counts as a day later."""

_OF_CONTENT = frozenset(("markers", "resolution", "rest", "rules"))
"""The criteria that tell of the conflict; the others tell of the operation."""


class Try(Struct, frozen=True, kw_only=True):
    """An exercise that was tried to its end: in which variant, when, which skills it is about, and which of
    them went wrong (none: it was right). `shown`: the answer was asked for, so that it counts as wrong."""

    exercise: str
    variant: str
    at: datetime
    skills: tuple[str, ...]
    wrong: tuple[str, ...] = ()
    shown: bool = False

    def right(self, skill: str) -> bool | None:
        """Whether a skill went right; None where this says nothing of it."""
        if skill not in self.skills:
            return None
        if self.shown or skill in self.wrong:
            return False
        return True if not self.wrong else None


class WorkSeen(Struct, frozen=True, kw_only=True):
    """A work of a drill as it was looked at once: of which exercise and variant, when, and what was found."""

    exercise: str
    variant: str
    at: datetime
    assessment: Assessment


class Practised(Struct, frozen=True):
    """What somebody has practised: every work that was brought to its end, the oldest first, and how often
    each other one was wrong, by exercise and variant."""

    tries: tuple[Try, ...]
    failed: Mapping[tuple[str, str], int]


class SkillStanding(Struct, frozen=True):
    """How far a skill is: how often it was tried, how often it was right in a row by now, whether it sits,
    and when it is worth trying again (None: at once)."""

    skill: str
    tried: int
    in_a_row: int
    sits: bool
    again: datetime | None = None

    @property
    def said(self) -> str:
        """Whether it sits, or is to be tried again later, in a few words; empty where it is neither."""
        if self.sits:
            return "sits"
        return f"again from {self.again.astimezone():%a %H:%M} on" if self.again is not None else ""


def skills_of(summary: ExerciseSummary) -> tuple[str, ...]:
    """The skills that an exercise is about: its operations, and its kinds of conflict."""
    return (*summary.operations, *summary.kinds)


def skills_among(exercises: Collection[ExerciseSummary]) -> list[str]:
    """Every skill that these exercises are about, each once, in their order."""
    return list(dict.fromkeys(skill for summary in exercises for skill in skills_of(summary)))


def nothing_to_drill(skill: str, known: Sequence[str], key: tuple[str | int, ...] = ()) -> Problem:
    """That no exercise is about a skill; `key` is where a file names it."""
    return Problem(f'there is no "{skill}" to drill', likely(skill, known), key)


def wrong_skills(summary: ExerciseSummary, assessment: Assessment) -> tuple[str, ...]:
    """Which skills a work that isn't right shows to be wanting: the kinds of conflict where what was left is
    wrong, the operations where how it was done is; all of them where no criterion says which."""
    missed = {it.id for it in assessment.criteria if it.outcome.verdict in ("partly", "missed")}
    content = summary.kinds if missed & _OF_CONTENT else ()
    operation = summary.operations if missed - _OF_CONTENT else ()
    return (*operation, *content) or skills_of(summary)


def practised(exercises: Collection[ExerciseSummary], seen: Iterable[WorkSeen]) -> Practised:
    """What was practised, by all that was looked at, the oldest first. A work is at its end when it is right,
    or was wrong three times; what isn't begun, or can't be read, says nothing."""
    known = {summary.id: summary for summary in exercises}
    tries: dict[tuple[str, str], Try] = {}
    failed: Counter[tuple[str, str]] = Counter()
    for one in seen:
        place, summary = (one.exercise, one.variant), known.get(one.exercise)
        if place in tries or summary is None or one.assessment.state in ("untouched", "unreadable"):
            continue
        right = got_it(one.assessment)
        if right or failed[place] == MOST_FAILED - 1:
            wrong = () if right else wrong_skills(summary, one.assessment)
            tries[place] = Try(
                exercise=one.exercise, variant=one.variant, at=one.at, skills=skills_of(summary), wrong=wrong
            )
        else:
            failed[place] += 1
    return Practised(
        tuple(tries.values()), {place: number for place, number in failed.items() if place not in tries}
    )


def standing_of(skill: str, tries: Sequence[Try]) -> SkillStanding:
    """How far a skill is by the tries, the oldest first."""
    told = [(one, right) for one in tries if (right := one.right(skill)) is not None]
    row: list[Try] = []
    for one, right in reversed(told):
        if not right:
            break
        row.append(one)
    different = len({(one.exercise, one.variant) for one in row})
    later = bool(row) and row[0].at - row[-1].at >= _LATER
    again = row[-1].at + _LATER if different >= ROW and not later else None
    return SkillStanding(skill, len(told), len(row), different >= ROW and later, again)


def standings(exercises: Collection[ExerciseSummary], tries: Sequence[Try]) -> list[SkillStanding]:
    """How far every skill is that the exercises have."""
    return [standing_of(skill, tries) for skill in skills_among(exercises)]


def next_exercise(
    exercises: Collection[ExerciseSummary],
    tries: Sequence[Try],
    now: datetime,
    wanted: Collection[str] = (),
) -> tuple[ExerciseSummary, str] | None:
    """What to do next, and for which skill: one of those that are `wanted`, or of all. None where all of them
    sit, or are worth trying again only later."""
    due = [
        one
        for one in standings(exercises, tries)
        if not one.sits and (not wanted or one.skill in wanted) and (one.again is None or one.again <= now)
    ]
    if not due:
        return None
    last = tries[-1].skills if tries else ()

    def need(one: SkillStanding) -> tuple[bool, bool, int, int]:
        failed = one.tried > 0 and one.in_a_row == 0
        # Other skills come in between, but for what went wrong just now.
        return (not failed, one.skill in last and not failed, one.in_a_row, one.tried)

    skill = min(due, key=need).skill
    return min(_candidates(exercises, tries, skill), key=lambda it: it[0])[1], skill


def _candidates(
    exercises: Collection[ExerciseSummary], tries: Sequence[Try], skill: str
) -> Iterator[tuple[tuple[bool, int, bool, int, str], ExerciseSummary]]:
    """The exercises of a skill, with how well each is next: what went wrong once more, with other values;
    else the next harder one than was right; of those that were done the longest ago."""
    told = [(one, right) for one in tries if (right := one.right(skill)) is not None]
    again = told[-1][0].exercise if told and not told[-1][1] else None
    done = {one.exercise: number for number, (one, right) in enumerate(told) if right}
    for summary in exercises:
        if skill in skills_of(summary):
            points = summary.difficulty.points
            calm = not summary.kinds  # a merge without a conflict teaches little of it
            yield (summary.id != again, done.get(summary.id, -1), calm, points, summary.id), summary
