"""A person's verdict in the place of the grader's own: on a criterion, on a conflict, or on all of it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    HunkResult,
    Settled,
    Verdict,
)
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.grading.finding import kept
from muddled_orchard.core.grading.kinds.pile import SettledNoMore
from muddled_orchard.core.grading.summary import no_part

ALL = "all"
"""What a verdict on a whole exercise is about."""

CONFLICTS = "resolution"
"""The criterion that conflicts count in."""


class Settlement(Struct, frozen=True, kw_only=True):
    """A person's verdict as a course keeps it.

    `about` is `all`, a criterion's id, or a conflict's full name. `earned` is the share (0 to 1) that it
    earns; None: it has been looked at, and stays as graded. `work` is that which was looked at; a
    verdict on the whole exercise has none, and holds whatever is handed in.
    """

    learner: str
    exercise: str
    work: str
    about: str
    earned: float | None
    by: str
    reason: str
    made: str = ""
    id: int = 0


def verdict_of(share: float) -> Verdict:
    """The verdict that a share (0 to 1) comes to."""
    return "met" if share >= 1 else "partly" if share > 0 else "missed"


def in_force(settlements: Iterable[Settlement], work: str) -> tuple[Settlement, ...]:
    """Of all verdicts on a learner's exercise, the oldest first, those that hold for this work: the newest
    on each thing."""
    newest: dict[str, Settlement] = {}
    for settlement in settlements:
        if settlement.work in ("", work):
            newest.pop(settlement.about, None)
            newest[settlement.about] = settlement
    return tuple(newest.values())


def settled(assessment: Assessment, settlements: Sequence[Settlement]) -> Assessment:
    """The assessment with these verdicts (those in force) in the place of the grader's own, which stand
    beside them. It needs no look any more; but a verdict on something that is no longer there is told."""
    if not settlements:
        return assessment
    doubts, now = [], assessment
    looked_at = max((one.id for one in settlements if one.about == ALL), default=-1)
    # A conflict's verdict changes what its criterion earns; one on the criterion itself goes before that.
    for settlement in sorted(settlements, key=lambda one: one.about in CRITERIA):
        if settlement.about == ALL:
            continue
        settle = _with_criterion if settlement.about in CRITERIA else _with_conflict
        changed = settle(now, assessment, settlement)
        if changed is not None:
            now = changed
        elif settlement.id > looked_at:  # nobody has looked at all of it since
            doubts.append(kept(SettledNoMore(settlement.by, settlement.about)))
    whole = next((one for one in settlements if one.about == ALL), None)
    if whole is not None:
        share = now.percent / 100
        now = replace(now, settled=_beside(whole, verdict_of(share), share))
    return replace(now, doubts=tuple(doubts))


def _with_criterion(now: Assessment, graded: Assessment, settlement: Settlement) -> Assessment | None:
    """With a verdict on a criterion; None where there is no such one. `graded` is as the grader had it."""
    at = _criterion_at(graded, settlement.about)
    if at is None:
        return None
    outcome = graded.criteria[at].outcome
    criterion = replace(now.criteria[at], settled=_beside(settlement, outcome.verdict, outcome.share))
    if settlement.earned is not None:
        criterion = _earning(criterion, settlement.earned)
    return _replaced(now, at, criterion)


def _with_conflict(now: Assessment, graded: Assessment, settlement: Settlement) -> Assessment | None:
    """With a verdict on a conflict, and what that makes of the criterion that conflicts count in; None where
    there is no such one."""
    found = [number for number, hunk in enumerate(graded.hunks) if full_name(hunk) == settlement.about]
    at = _criterion_at(graded, CONFLICTS)
    if len(found) != 1 or at is None or graded.hunks[found[0]].outcome == "skipped":
        return None
    hunk, share = graded.hunks[found[0]], settlement.earned
    changed = replace(hunk, settled=_beside(settlement, hunk.outcome, hunk.worth))
    if share is not None:
        changed = replace(changed, worth=share, outcome=verdict_of(share))
        gained = hunk.weight * (share - hunk.worth) / _weight(graded)
        total = round(now.criteria[at].outcome.share + gained, 9)
        now = _replaced(now, at, _earning(now.criteria[at], min(1.0, max(0.0, total))))
    hunks = (*now.hunks[: found[0]], changed, *now.hunks[found[0] + 1 :])
    return replace(now, hunks=hunks)


def _weight(assessment: Assessment) -> float:
    """What all conflicts weigh together. Results of versions before 0.6 don't say so."""
    counted = sum(hunk.weight for hunk in _counting(assessment))
    return assessment.conflicts_weight or counted + assessment.unmet or 1.0


def _criterion_at(assessment: Assessment, id_: str) -> int | None:
    """Where a criterion stands that is part of the exercise."""
    for number, criterion in enumerate(assessment.criteria):
        if criterion.id == id_ and not no_part(criterion.outcome):
            return number
    return None


def _earning(criterion: CriterionResult, share: float) -> CriterionResult:
    """The criterion, with this share of its points."""
    outcome = replace(criterion.outcome, verdict=verdict_of(share), share=share, unseen=False)
    points = round(criterion.weight * share, 2)
    return replace(criterion, outcome=outcome, points=points, possible=criterion.weight)


def _beside(settlement: Settlement, verdict: Verdict, share: float) -> Settled:
    return Settled(
        earned=settlement.earned,
        by=settlement.by,
        reason=settlement.reason,
        made=settlement.made,
        verdict=verdict,
        share=share,
    )


def _replaced(assessment: Assessment, at: int, criterion: CriterionResult) -> Assessment:
    return replace(
        assessment, criteria=(*assessment.criteria[:at], criterion, *assessment.criteria[at + 1 :])
    )


class SettledThing(Struct, frozen=True):
    """Something that a person settled: what it is called, and their verdict beside the grader's."""

    what: str
    settled: Settled

    @property
    def verdict(self) -> Verdict:
        """The verdict that counts."""
        return self.settled.verdict if self.settled.earned is None else verdict_of(self.settled.earned)

    @property
    def said(self) -> str:
        """In a sentence: `resolution earns 50 % (graded: missed). Maren Holt: "the brief was unclear"`."""
        own, graded = self.settled, _amount(self.settled.share)
        what = "All of it" if self.what == ALL else self.what
        now = (
            f"{what} stays as graded ({graded})"
            if own.earned is None
            else f"{what} earns {_amount(own.earned)} (graded: {graded})"
        )
        return f'{now}. {own.by}: "{own.reason}"' if own.reason else f"{now}, says {own.by}."


def _amount(share: float) -> str:
    return f"{100 * share:.3g} %"


def settled_things(assessment: Assessment) -> list[SettledThing]:
    """Everything that a person settled, the whole first, then criteria, then conflicts."""
    things = [SettledThing(ALL, assessment.settled)] if assessment.settled else []
    things += [
        SettledThing(criterion.id, criterion.settled)
        for criterion in assessment.criteria
        if criterion.settled
    ]
    names = conflict_names(assessment)
    things += [
        SettledThing(name, hunk.settled)
        for name, hunk in zip(names, _counting(assessment), strict=True)
        if hunk.settled
    ]
    return things


# -- How conflicts are named ------------------------------------------------------------------------------


def full_name(hunk: HunkResult) -> str:
    """A conflict's name that tells it from all others of its exercise: `press.toml:2@1` is the second hunk
    of that file in task 1, `press.toml@limit` the whole file where the commit `limit` is replayed."""
    return f"{_short(hunk)}@{hunk.commit or hunk.task}"


def _short(hunk: HunkResult) -> str:
    return f"{hunk.file}:{hunk.hunk}" if hunk.hunk else hunk.file


def _names(hunk: HunkResult) -> Iterator[str]:
    """Everything that a conflict may be called by, the shortest first."""
    yield hunk.file
    yield _short(hunk)
    yield f"{hunk.file}@{hunk.commit or hunk.task}"
    yield full_name(hunk)


def conflict_names(assessment: Assessment) -> list[str]:
    """What to call each conflict that counts: the shortest name that is no other's."""
    counting = _counting(assessment)
    called = [set(_names(hunk)) for hunk in counting]
    return [
        next((name for name in _names(hunk) if sum(name in names for names in called) == 1), full_name(hunk))
        for hunk in counting
    ]


def about_of(assessment: Assessment, named: str) -> str:
    """What a verdict is about that a person names: `all`, a criterion's id, or a conflict.

    Raises BadInput where the exercise has no such thing, or several of that name.
    """
    if named == ALL:
        return ALL
    if named in CRITERIA:
        if _criterion_at(assessment, named) is None:
            parts = [criterion.id for criterion in assessment.criteria if not no_part(criterion.outcome)]
            hint = f"There are: {', '.join(parts)}." if parts else f"Settle all of it: {ALL}."
            raise BadInput(Problem(f"{named} is no part of {assessment.exercise}", hint))
        return named
    hunks = [hunk for hunk in _counting(assessment) if named in _names(hunk)]
    if len(hunks) == 1:
        return full_name(hunks[0])
    names = conflict_names(assessment)
    if hunks:
        several = [name for name, hunk in zip(names, _counting(assessment), strict=True) if hunk in hunks]
        raise BadInput(Problem(f'several conflicts are called "{named}"', f"Say {' or '.join(several)}."))
    what = f'"{named}" is neither a criterion nor a conflict of {assessment.exercise}'
    raise BadInput(Problem(what, likely(named, [ALL, *CRITERIA, *names])))


def _counting(assessment: Assessment) -> list[HunkResult]:
    return [hunk for hunk in assessment.hunks if hunk.outcome != "skipped"]
