"""What a class got right and wrong, counted: conflicts by what was kept, criteria by their verdicts."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from statistics import median
from typing import Literal, NamedTuple

from msgspec import Struct, field

from muddled_orchard.core.base.phrases import brief, counted
from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.totals import Attempt, ExerciseMark
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment, HunkResult, Verdict
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.grading.summary import accepted_told, got_it
from muddled_orchard.core.grading.verdicts import ConflictVerdict, Verdicts

Outcome = Literal[
    "accepted", "partly", "ours", "theirs", "both", "base", "neither", "blend", "gone", "unresolved"
]
"""What a learner made of a conflict: accepted (all or a part of its points), or what was kept instead."""

OUTCOMES: Mapping[Outcome, str] = {
    "accepted": "accepted",
    "partly": "accepted in part",
    "ours": "kept ours",
    "theirs": "kept theirs",
    "both": "kept both sides",
    "base": "kept the base",
    "neither": "kept neither side",
    "blend": "something else",
    "gone": "deleted the file",
    "unresolved": "left unresolved",
}
"""How each is said, in the order in which they are shown."""

LETTERS: Mapping[Outcome, str] = {
    "accepted": "A",
    "partly": "P",
    "ours": "O",
    "theirs": "T",
    "both": "+",
    "base": "B",
    "neither": "N",
    "blend": "X",
    "gone": "D",
    "unresolved": "U",
}
"""The letter of each, where there is room for no more."""

_BOTH = ("ours+theirs", "theirs+ours")


class ConflictId(NamedTuple):
    """Which conflict of an exercise: its task and step (from 1), its file as the scenario calls it, and the
    hunk (0: the whole file)."""

    task: int
    step: int
    file: str
    hunk: int

    @property
    def name(self) -> str:
        """What it is called for people: `press.toml:2`."""
        return f"{self.file}:{self.hunk}" if self.hunk else self.file


class ConflictTally(Struct, frozen=True, kw_only=True):
    """A conflict over a class. `name` is its own in the exercise, `learners` are who made what of it;
    `example` shows it as one of them met it.

    `swapped` is who took exactly the other side
    than the accepted one; None outside rebases, where ours and theirs are as learners expect.
    """

    id: ConflictId
    name: str
    learners: Mapping[Outcome, tuple[str, ...]]
    example: HunkResult | None
    swapped: tuple[str, ...] | None

    @property
    def count(self) -> int:
        """How many learners came to it."""
        return sum(map(len, self.learners.values()))

    @property
    def common_wrong(self) -> Outcome | None:
        """The wrong outcome that several had, and more than any other."""
        wrong = {
            word: len(them) for word, them in self.learners.items() if word not in ("accepted", "partly")
        }
        most = max(wrong.values(), default=0)
        commonest = [word for word, count in wrong.items() if count == most]
        return commonest[0] if most > 1 and len(commonest) == 1 else None


def said_of(conflict: ConflictTally, outcome: Outcome) -> str:
    """What was made of a conflict, with the names of the sides as its example has them."""
    example = conflict.example
    if example is None:
        return OUTCOMES[outcome]
    names = {"ours": example.ours_name, "theirs": example.theirs_name}
    said = OUTCOMES[outcome]
    if outcome == "accepted" and example.accepted:
        said = f"accepted: {accepted_told(example)}"
    elif outcome in names:
        said = f"kept {names[outcome]}"
    return said.replace("your commit", "the learner's commit")  # names are worded for the learner


def swapped_told(conflict: ConflictTally) -> str:
    """What it means that some took the other side in a rebase; empty where nobody did."""
    if not conflict.swapped:
        return ""
    who = counted(len(conflict.swapped), "learner")
    return f"{who} took exactly the other side: in a rebase, ours and theirs are swapped"


class CriterionTally(Struct, frozen=True, kw_only=True):
    """A criterion over a class: who earned what; who was not judged by it is left out."""

    id: str
    learners: Mapping[Verdict, tuple[str, ...]]

    @property
    def count(self) -> int:
        """How many learners were judged by it."""
        return sum(map(len, self.learners.values()))


class ExerciseTally(Struct, frozen=True, kw_only=True):
    """An exercise over a class. `percents` has what counts for each learner who tried it, `missing` who did
    not, `solved` after how many attempts those who got it got it, `minutes` how long each took from the
    first own commit to the last, by their own clock."""

    id: str
    title: str
    handed_out: int
    percents: Mapping[str, float]
    missing: tuple[str, ...]
    got_it: tuple[str, ...]
    conflicts: tuple[ConflictTally, ...]
    criteria: tuple[CriterionTally, ...]
    solved: Mapping[str, int]
    minutes: Mapping[str, float]

    @property
    def median(self) -> float | None:
        """The middle percentage."""
        return median(self.percents.values()) if self.percents else None

    @property
    def told(self) -> str:
        """How it went, in a sentence."""
        words = [f"{len(self.percents)} of {self.handed_out} tried it, {len(self.got_it)} got it"]
        if self.solved and max(self.solved.values()) > 1:
            first = sum(number == 1 for number in self.solved.values())
            words.append(f"{first} of them in the first attempt")
        if self.median is not None:
            words.append(f"median {self.median:.0f} %")
        if self.minutes:
            words.append(f"median {_time(median(self.minutes.values()))} from first to last commit")
        return f"{', '.join(words)}."


class Tally(Struct, frozen=True, kw_only=True):
    """A class over a course: the exercises in order, everybody's total in percent in the order of the
    roster (without who tried nothing), and who tried nothing at all."""

    title: str
    exercises: tuple[ExerciseTally, ...]
    totals: Mapping[str, float]
    absent: tuple[str, ...]
    names: Mapping[str, str]

    @property
    def conflicts(self) -> Iterator[tuple[ExerciseTally, ConflictTally]]:
        """Every conflict with its exercise, in order."""
        for exercise in self.exercises:
            for conflict in exercise.conflicts:
                yield exercise, conflict


def _time(minutes: float) -> str:
    for size, unit in ((1440, "days"), (60, "h")):
        if minutes >= 2 * size:
            return f"{minutes / size:.0f} {unit}"
    return f"{minutes:.0f} min"


class _Counting(Struct):
    """An exercise while it is counted."""

    namer: _Namer
    handed_out: int = 0
    missing: list[str] = field(default_factory=list)
    conflicts: dict[ConflictId, dict[Outcome, list[str]]] = field(default_factory=dict)
    criteria: dict[str, dict[Verdict, list[str]]] = field(default_factory=dict)
    percents: dict[str, float] = field(default_factory=dict)
    got_it: list[str] = field(default_factory=list)
    minutes: dict[str, float] = field(default_factory=dict)


def tally(
    record: ClassRecord, scenarios: Mapping[str, Scenario], examples: Mapping[str, Assessment]
) -> Tally:
    """Count a class: the attempt of each learner that counts. `scenarios` are those that were handed out, by
    id; `examples` is one result in full for each exercise, from which conflicts are shown."""
    counting = {id_: _Counting(_Namer(scenarios.get(id_))) for id_ in record.standing.exercises}
    for total in record.standing.totals:
        for mark in total.counting:
            first = mark.attempt is None or record.is_first_of_team(mark.attempt)
            _count_mark(counting[mark.exercise], total.learner, mark, first=first)
    solved = _solved(record.standing.attempts)
    exercises = tuple(
        _exercise(id_, record.title(id_), here, scenarios.get(id_), examples.get(id_), solved.get(id_, {}))
        for id_, here in counting.items()
    )
    there = [
        total
        for total in record.standing.totals
        if any(mark.percent or mark.attempt for mark in total.counting)
    ]
    present = {total.learner for total in there}
    return Tally(
        title=record.standing.plan.title,
        exercises=exercises,
        totals={total.learner: total.percent for total in there},
        absent=tuple(one.learner for one in record.standing.totals if one.learner not in present),
        names=record.names,
    )


def _exercise(
    id_: str,
    title: str,
    here: _Counting,
    scenario: Scenario | None,
    example: Assessment | None,
    solved: Mapping[str, int],
) -> ExerciseTally:
    """What was counted of an exercise."""
    shown = _shown(here.namer, example) if example else {}
    return ExerciseTally(
        id=id_,
        title=title,
        handed_out=here.handed_out,
        percents=here.percents,
        missing=tuple(here.missing),
        got_it=tuple(here.got_it),
        conflicts=tuple(_conflicts(here, shown, scenario)),
        criteria=tuple(
            CriterionTally(id=name, learners=_frozen(here.criteria[name]))
            for name in CRITERIA
            if name in here.criteria
        ),
        solved=solved,
        minutes=here.minutes,
    )


def example_attempts(record: ClassRecord) -> dict[str, Attempt]:
    """For each exercise the attempt that met the most conflicts: what is shown of them."""
    found: dict[str, Attempt] = {}
    for total in record.standing.totals:
        for mark in total.counting:
            if mark.attempt is not None and _met(mark.attempt) > _met(found.get(mark.exercise)):
                found[mark.exercise] = mark.attempt
    return found


def _met(attempt: Attempt | None) -> int:
    return len(attempt.work.verdicts.hunks) if attempt and attempt.work.verdicts else 0


def _count_mark(here: _Counting, learner: str, mark: ExerciseMark, *, first: bool) -> None:
    """Count a mark; what was found in a team's work is counted for its `first` alone."""
    here.handed_out += 1
    if not mark.has_result:
        here.missing.append(learner)
        return
    here.percents[learner] = mark.percent
    verdicts = mark.attempt.work.verdicts if mark.attempt else None
    if verdicts is not None and not first:
        if got_it(verdicts):
            here.got_it.append(learner)
    elif verdicts is not None:
        _count_found(here, learner, verdicts)
    elif mark.percent >= 100:
        here.got_it.append(learner)


def _count_found(here: _Counting, learner: str, found: Verdicts) -> None:
    if got_it(found):
        here.got_it.append(learner)
    if found.ended > found.begun > 0:
        here.minutes[learner] = (found.ended - found.begun) / 60
    for criterion in found.criteria:
        if criterion.outcome.verdict != "skipped":
            verdicts = here.criteria.setdefault(criterion.id, {})
            verdicts.setdefault(criterion.outcome.verdict, []).append(learner)
    for hunk in found.hunks:
        if hunk.outcome != "skipped":
            outcomes = here.conflicts.setdefault(here.namer.id_of(hunk), {})
            outcomes.setdefault(outcome_of(hunk), []).append(learner)


def outcome_of(hunk: ConflictVerdict | HunkResult) -> Outcome:
    """What was made of a conflict."""
    if hunk.outcome in ("met", "partly"):
        return "accepted" if hunk.outcome == "met" else "partly"
    if hunk.kept in _BOTH:
        return "both"
    return next((word for word in OUTCOMES if word == hunk.kept), "blend")


def _conflicts(
    here: _Counting, shown: Mapping[ConflictId, HunkResult], scenario: Scenario | None
) -> Iterator[ConflictTally]:
    rebases = _rebases(scenario)
    own = scenario is not None and scenario.makes_own
    ids = sorted({*here.conflicts, *shown})
    names = _names(ids, {} if own else shown)
    for id_ in ids:
        outcomes = here.conflicts.get(id_, {})
        example = shown.get(id_)
        yield ConflictTally(
            id=id_,
            name=names[id_],
            learners={word: tuple(outcomes[word]) for word in OUTCOMES if word in outcomes},
            example=None if own else example,  # what one has made shows nothing of another's
            swapped=_swapped(outcomes, example) if example and id_.task in rebases else None,
        )


def _names(ids: Sequence[ConflictId], shown: Mapping[ConflictId, HunkResult]) -> dict[ConflictId, str]:
    """A name for each conflict that is its own: the file, with the hunk where it has several, and with what
    it is a part of where that occurs again."""
    files = Counter((id_.task, id_.step, id_.file) for id_ in ids)
    plain = {id_: id_.name if files[id_.task, id_.step, id_.file] > 1 else id_.file for id_ in ids}
    fuller = {id_: f"{plain[id_]} ({_part_of(id_, shown.get(id_))})" for id_ in ids}
    once, once_fuller = Counter(plain.values()), Counter(fuller.values())
    return {
        id_: plain[id_]
        if once[plain[id_]] == 1
        else fuller[id_]
        if once_fuller[fuller[id_]] == 1
        else f"{fuller[id_]}, step {id_.step}"
        for id_ in ids
    }


def _part_of(id_: ConflictId, example: HunkResult | None) -> str:
    if example is not None and example.subject:
        return f'of "{brief(example.subject, 30)}"'
    return f"in task {id_.task}"


def _frozen(learners: Mapping[Verdict, Sequence[str]]) -> dict[Verdict, tuple[str, ...]]:
    order: tuple[Verdict, ...] = ("met", "partly", "missed")
    return {word: tuple(learners[word]) for word in order if word in learners}


def _shown(namer: _Namer, assessment: Assessment) -> dict[ConflictId, HunkResult]:
    return {namer.id_of(hunk): hunk for hunk in assessment.hunks if hunk.outcome != "skipped"}


def _rebases(scenario: Scenario | None) -> frozenset[int]:
    """The tasks that are rebases, from 1."""
    tasks = scenario.task if scenario else ()
    return frozenset(number for number, task in enumerate(tasks, start=1) if task.replays_own)


def _swapped(outcomes: Mapping[Outcome, Sequence[str]], hunk: HunkResult) -> tuple[str, ...]:
    """Who took the other side, where one side alone is accepted."""
    if hunk.accepted == ("ours",):
        return tuple(outcomes.get("theirs", ()))
    return tuple(outcomes.get("ours", ())) if hunk.accepted == ("theirs",) else ()


def _solved(attempts: Iterable[Attempt]) -> dict[str, dict[str, int]]:
    """By exercise and learner, which attempt was the first that had it."""
    found: dict[str, dict[str, int]] = {}
    tried: Counter[tuple[str, str]] = Counter()
    for attempt in attempts:  # they come in the order in which they were made
        place = (attempt.exercise, attempt.learner)
        tried[place] += 1
        if attempt.work.verdicts is not None and got_it(attempt.work.verdicts):
            found.setdefault(attempt.exercise, {}).setdefault(attempt.learner, tried[place])
    return found


class _Namer:
    """What conflicts are called in all variants of an exercise: a file whose name has a value in it is called
    as the scenario does (`bins/@{bin}.txt`)."""

    def __init__(self, scenario: Scenario | None) -> None:
        names = dict.fromkeys(answer.file for answer in scenario.answer) if scenario else {}
        self._varying = {name: _pattern(name) for name in names if "@{" in name}
        self._known: dict[str, str] = {}

    def id_of(self, hunk: ConflictVerdict | HunkResult) -> ConflictId:
        """The conflict's id."""
        if self._varying and hunk.file not in self._known:
            fitting = (name for name, form in self._varying.items() if form.fullmatch(hunk.file))
            self._known[hunk.file] = next(fitting, hunk.file)
        return ConflictId(hunk.task, hunk.step, self._known.get(hunk.file, hunk.file), hunk.hunk or 0)


def _pattern(name: str) -> re.Pattern[str]:
    parts = re.split(r"@\{[^{}]*\}", name)
    return re.compile(".+?".join(map(re.escape, parts)))
