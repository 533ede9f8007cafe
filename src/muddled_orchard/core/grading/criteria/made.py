"""made: the conflict that the learner was to make was there, and was met."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict, OwnStep
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly, skipped
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.made import (
    ConflictAvoided,
    ConflictsMade,
    MayBeAvoided,
    MayBeSquashed,
    MergedCleanly,
    NeverParted,
    NoConflictToMake,
    OtherConflict,
    ReplaysNotSeen,
    ResultThrownAway,
    StepsTaken,
    TooFewMade,
)
from muddled_orchard.core.grading.own_conflicts import OwnAttempt, own_attempts, own_task
from muddled_orchard.core.key.accepted import size_of
from muddled_orchard.core.merging.conflict import Conflict, MergeResult
from muddled_orchard.core.submission.own import steps_seen


class _Found(Struct, frozen=True):
    """What became of one attempt: the conflicts of it that count, and what is to be said of the rest."""

    attempt: OwnAttempt
    counts: tuple[Conflict, ...] = ()
    flaws: tuple[Kind, ...] = ()


def judge(case: Case) -> Outcome:
    """The share of the conflicts that were asked for."""
    task = own_task(case.key)
    if task is None:
        return skipped(NoConflictToMake())
    found = [_read(case, task, attempt) for attempt in own_attempts(case.submission)]
    made = [one for one in found if one.counts]
    count = sum(size_of(conflict) for one in made for conflict in one.counts)
    where = tuple(Place(conflict.path, None, one.attempt.commit) for one in made for conflict in one.counts)[
        :20
    ]
    if task.steps:
        return _by_steps(case, task, found, count)
    if count >= task.conflicts:
        by = tuple(dict.fromkeys(one.attempt.how for one in made))
        files = tuple(dict.fromkeys(conflict.path for one in made for conflict in one.counts))
        return met(ConflictsMade(count, by, files))
    flaws = list(dict.fromkeys(flaw for one in found for flaw in one.flaws))
    flaws += list(_moved_on(case)) if not found and not _may_be_unseen(case, task) else []
    told: list[Kind] = [TooFewMade(count, task.conflicts), *flaws[:3]]
    return partly(told, count / task.conflicts, where) if count else missed(told)


def _by_steps(case: Case, task: OwnConflict, found: Sequence[_Found], count: int) -> Outcome:
    """The share of the steps that were taken."""
    seen: set[OwnStep] = set(steps_seen(case.with_all_commits, set(case.key.refs.values())))
    if count:
        seen |= {"branch", "both sides", "same file"}
    if any(isinstance(flaw, MergedCleanly) and not flaw.edited for one in found for flaw in one.flaws):
        seen.add("clean merge")
    if count >= task.conflicts:
        seen.add("conflict")
    lacking = [step for step in task.steps if step not in seen]
    taken = len(task.steps) - len(lacking)
    begun = count / task.conflicts if "conflict" in lacking else 0.0
    worth = (taken + begun) / len(task.steps)
    told: list[Kind] = [StepsTaken(taken, len(task.steps), tuple(lacking))]
    if "conflict" in lacking:
        flaws = dict.fromkeys(flaw for one in found for flaw in one.flaws)
        wanted = "clean merge" in task.steps
        told += [
            flaw for flaw in flaws if not (wanted and isinstance(flaw, MergedCleanly) and not flaw.edited)
        ][:2]
    return partly(told, worth)


def _read(case: Case, task: OwnConflict, attempt: OwnAttempt) -> _Found:
    merge = case.evidence.merges.get(attempt.place)
    if merge is None:
        return _Found(attempt)
    if attempt.thrown_away and attempt.commit is not None:
        met_one = bool(merge.conflicts) and attempt.went != "clean"
        return _Found(attempt, flaws=(ResultThrownAway(attempt.how, attempt.commit),) if met_one else ())
    if attempt.likely:
        return _Found(attempt)
    if not merge.conflicts:
        if attempt.commit is None:
            return _Found(attempt)
        edited = case.commits[attempt.commit].tree != merge.tree
        return _Found(attempt, flaws=(MergedCleanly(attempt.how, attempt.commit, edited),))
    if attempt.went == "clean" and attempt.commit is not None:
        return _Found(attempt, flaws=(ConflictAvoided(attempt.commit),))
    counts = tuple(conflict for conflict in merge.conflicts if _is_asked(task, attempt, conflict))
    others = [conflict for conflict in merge.conflicts if conflict not in counts]
    flaws = tuple(OtherConflict(attempt.how, one.path, one.kind) for one in others[:1] if not counts)
    return _Found(attempt, counts, flaws)


def _is_asked(task: OwnConflict, attempt: OwnAttempt, conflict: Conflict) -> bool:
    return (
        attempt.how in task.by
        and (not task.files or conflict.path in task.files)
        and (not task.kinds or conflict.kind in task.kinds)
    )


def _moved_on(case: Case) -> Iterator[Kind]:
    """Handed-out branches that stand where another one has led them, with nothing of their own."""
    tips = {ref: id_ for ref, id_ in case.evidence.refs.items() if ref.startswith(BRANCHES)}
    for ref, before in case.key.refs.items():
        now = tips.get(ref)
        if now is None or now == before:
            continue
        twins = [other for other, id_ in tips.items() if other != ref and contains(case.commits, id_, now)]
        if twins and contains(case.commits, now, before):
            yield NeverParted(ref.removeprefix(BRANCHES))


def doubts_about(case: Case) -> Iterator[Kind]:
    """What commits alone can't show of the learner's own conflicts, where it decides."""
    task = own_task(case.key)
    if task is None:
        return
    attempts = own_attempts(case.submission)
    found = [_read(case, task, attempt) for attempt in attempts]
    for one in found:
        merge = case.evidence.merges.get(one.attempt.place)
        if one.counts and one.attempt.how == "merge" and one.attempt.went == "unknown" and merge is not None:
            side = _side_taken(case, one.attempt, merge)
            if side and one.attempt.commit is not None:
                yield MayBeAvoided(one.attempt.commit, side)
    count = sum(size_of(conflict) for one in found for conflict in one.counts)
    for attempt in attempts if count < task.conflicts else ():
        merge = case.evidence.merges.get(attempt.place)
        if attempt.likely and attempt.commit is not None and not attempt.thrown_away and merge is not None:
            files = tuple(it.path for it in merge.conflicts if _is_asked(task, attempt, it))
            if files:
                yield MayBeSquashed(attempt.commit, files)
    if count < task.conflicts and _may_be_unseen(case, task):
        yield ReplaysNotSeen()


def _may_be_unseen(case: Case, task: OwnConflict) -> bool:
    """Whether a rebase would have counted, and may have been where no reflog shows it."""
    return "rebase" in task.by and bool(case.evidence.commits) and not case.evidence.reflog


def _side_taken(case: Case, attempt: OwnAttempt, merge: MergeResult) -> str:
    """The side that a merge took whole, as `-s ours` and `-X` do; empty where it took none."""
    made = case.commits.get(attempt.commit or "")
    if made is None:
        return ""
    for name, id_ in (("ours", attempt.ours), ("theirs", attempt.theirs)):
        tree = case.commits[id_].tree
        if all(made.tree.get(conflict.path) == tree.get(conflict.path) for conflict in merge.conflicts):
            return name
    return ""


def _weight(scenario: Scenario) -> float:
    return 8.0 if scenario.makes_own else 0.0


CRITERION = Criterion(
    id="made",
    weight=8,
    weighs_in=_weight,
    judge=judge,
    question="Was the conflict made, and met?",
    right="You made the conflict, and met it.",
    tells_reason=True,
    commands=("git log --oneline --graph --all",),
)
