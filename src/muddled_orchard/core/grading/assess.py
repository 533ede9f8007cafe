"""Grade: evidence and key in, assessment out. Pure and deterministic."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from itertools import chain, islice

from msgspec.structs import replace

from muddled_orchard.core.exercise.roles import ROLES, has_roles, names_of_roles, role_name
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    Outcome,
    RolePart,
    State,
    missed,
    skipped,
    unseen,
)
from muddled_orchard.core.grading.case import OPEN, Case
from muddled_orchard.core.grading.criteria import CRITERIA, weight_of
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.criteria.resolution import decisions, hunk_results
from muddled_orchard.core.grading.doubts import doubts
from muddled_orchard.core.grading.finding import Finding, Kind, kept
from muddled_orchard.core.grading.kinds.attempted import (
    GivenUp,
    NothingAsked,
    NothingAttempted,
    OnlyWorkCommitted,
    StashDropped,
)
from muddled_orchard.core.grading.kinds.finished import NotShownHere
from muddled_orchard.core.grading.kinds.made import NotOfOwnConflicts
from muddled_orchard.core.grading.kinds.worked import MoreOfThis
from muddled_orchard.core.grading.laying_out import lay_out
from muddled_orchard.core.grading.locating.locate import locate
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.notes import notes_on
from muddled_orchard.core.grading.others_values import values_of_others
from muddled_orchard.core.grading.remote import changes
from muddled_orchard.core.submission.identity import work_id
from muddled_orchard.core.submission.made_graph import graph_of
from muddled_orchard.core.submission.reflog import given_up
from muddled_orchard.core.submission.submission import Submission

# What a submission can make a result grow to: results are held for a whole class.
_MOST, _MOST_TOLD, _MOST_COMMITS = 500, 20, 5_000

_FREE_IN_OWN = frozenset(("history", "rest"))
"""The criteria that say nothing of a conflict that the learner made."""


def assess(submission: Submission, results: tuple[Result, ...] | None = None) -> Assessment:
    """Judge a submission by every criterion; `results` is `locate(submission)`, where it is known."""
    evidence, key = submission.evidence, submission.key
    case = lay_out(submission, locate(submission) if results is None else results)
    whole = _CaseState(case)
    hunks = tuple(hunk_results(case))
    cast = {commit.author for id_, commit in key.commits.items() if id_ in key.handed_out}
    return Assessment(
        exercise=case.scenario.id,
        title=case.scenario.title,
        variant=key.variant,
        state=whole.state,
        criteria=tuple(_judged(case, whole, criterion) for criterion in CRITERIA.values()),
        hunks=hunks[:_MOST],
        doubts=_first(chain(doubts(case), values_of_others(case.scenario, key.variant, hunks))),
        worked=_first(notes_on(submission)),
        commits=tuple(evidence.commits)[:_MOST_COMMITS],
        unmet=sum(task.unmet.count for task in case.tasks),
        conflicts_weight=decisions(case).weight,
        work=work_id(evidence),
        made=graph_of(submission),
        asked=key.graph_after,
        begun=min((commit.time for commit in evidence.commits.values() if commit.time > 0), default=0),
        ended=max((commit.time for commit in evidence.commits.values()), default=0),
        makers=tuple(sorted({commit.author for commit in evidence.commits.values()} - cast))[:_MOST],
        parts=tuple(_part(case, whole, role) for role in ROLES) if has_roles(case.scenario.task) else (),
    )


class _CaseState:
    """How a case stands as a whole: asked once, and not for each criterion."""

    def __init__(self, case: Case) -> None:
        self._case = case
        self.state = case.state
        self.nothing_found, self.nothing_seen = case.nothing_found, case.nothing_seen

    @cached_property
    def nothing_done(self) -> Outcome:
        """What every criterion comes to where nothing of what was asked was done."""
        return missed(_nothing_done(self.state, self._case))


def _judged(case: Case, whole: _CaseState, criterion: Criterion) -> CriterionResult:
    """A criterion of a case, with its points."""
    free = case.is_own and criterion.id in _FREE_IN_OWN
    outcome = skipped(NotOfOwnConflicts()) if free else criterion.judge(case)
    # The steps to a conflict of one's own earn before it is met.
    done_by_nothing = outcome.share > 0 and whole.nothing_found and criterion.id != "made"
    if whole.nothing_seen and outcome.verdict != "skipped":
        outcome = unseen(NotShownHere())
    elif outcome.verdict != "skipped" and (whole.state == "untouched" or done_by_nothing):
        outcome = whole.nothing_done  # what is met by doing nothing doesn't count
    return _with_points(criterion.id, outcome, weight_of(case.scenario, criterion.id))


def _part(case: Case, whole: _CaseState, role: int) -> RolePart:
    """What a role has of a work that a team shares."""
    own = replace(case, role=role)
    results = [task.result for task in own.judged]
    made = dict.fromkeys(one.result_commit for one in results if one.result_commit)
    commits = [case.evidence.commits[id_] for id_ in made if id_ in case.evidence.commits]
    pushers = case.evidence.pushers()
    return RolePart(
        role=role,
        name=role_name(names_of_roles(case.scenario), role),
        tasks=tuple(n for n, task in enumerate(case.scenario.task, start=1) if own.judges(task)),
        open=tuple(dict.fromkeys(task.step.task for task in own.judged if task.result.shape in OPEN)),
        criteria=tuple(_judged(own, whole, one) for one in CRITERIA.values() if one.of_tasks),
        unmet=sum(task.unmet.count for task in own.judged),
        conflicts_weight=decisions(own).weight,
        commits=tuple(commit.id for commit in commits)[:_MOST],
        makers=tuple(sorted({commit.committer for commit in commits}))[:_MOST],
        pushed_by=tuple(sorted({pushers[one.id] for one in commits if one.id in pushers})),
    )


def _first(kinds: Iterator[Kind]) -> tuple[Finding, ...]:
    """What is told once, as far as anybody reads on."""
    told = list(dict.fromkeys(islice(kinds, 1_000)))
    if len(told) > _MOST_TOLD:
        told = [*told[:_MOST_TOLD], MoreOfThis(len(told) - _MOST_TOLD)]
    return tuple(map(kept, told))


def _with_points(id_: str, outcome: Outcome, weight: float) -> CriterionResult:
    if len(outcome.where) > _MOST:
        outcome = replace(outcome, where=outcome.where[:_MOST])
    possible = 0.0 if outcome.verdict == "skipped" else weight
    return CriterionResult(
        id=id_, outcome=outcome, points=round(possible * outcome.share, 2), possible=possible, weight=weight
    )


def _has_only_the_work(case: Case) -> bool:
    """Whether all that was done is to commit the work that was handed out: a good beginning."""
    own = case.evidence.commits.values()
    return bool(own) and all(map(case.submission.is_the_work, own))


def _nothing_done(state: State, case: Case) -> list[Kind]:
    pending = case.evidence.pending
    if any(task.result.shape == "dropped" for task in case.tasks):
        return [StashDropped(), *changes(case)]
    if _has_only_the_work(case):
        return [OnlyWorkCommitted(case.evidence.head)]
    if state != "untouched":
        return [NothingAsked(pending.kind if pending else None), *changes(case)]
    if case.scenario.start.stopped and pending is None:
        return [GivenUp()]
    if case.scenario.start.own:
        return [NothingAttempted(own=True)]
    counts = given_up(case.evidence, len(case.key.history.stashes))
    return [NothingAttempted(counts.rebases, counts.resets, counts.patches)]
