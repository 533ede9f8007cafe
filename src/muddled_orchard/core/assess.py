"""Grade: evidence and key in, assessment out. Pure and deterministic."""

from __future__ import annotations

from muddled_orchard.core.assessment import Assessment, CriterionResult, Outcome, State, missed
from muddled_orchard.core.case import Case, lay_out
from muddled_orchard.core.course import aborted, notes_on
from muddled_orchard.core.criteria import JUDGES
from muddled_orchard.core.criteria.resolution import hunk_results
from muddled_orchard.core.doubts import doubts
from muddled_orchard.core.evidence import Evidence
from muddled_orchard.core.key import Key
from muddled_orchard.core.locate import locate
from muddled_orchard.core.results import Result


def assess(evidence: Evidence, key: Key, located: tuple[Result, ...] | None = None) -> Assessment:
    """Judge a submission by every criterion; `located` is `locate(evidence, key)`, where it is known."""
    case = lay_out(evidence, key, locate(evidence, key) if located is None else located)
    state = case.state
    hunks = tuple(hunk_results(case))
    criteria = []
    for id_, judge in JUDGES.items():
        outcome = judge(case)
        done_by_nothing = outcome.share > 0 and case.nothing_found
        if outcome.verdict != "skipped" and (state == "untouched" or done_by_nothing):
            outcome = missed(_nothing_done(state, case))  # what is met by doing nothing doesn't count
        criteria.append(_with_points(id_, outcome, case.scenario.weight(id_)))
    cast = {commit.author for id_, commit in key.commits.items() if id_ in key.handed_out}
    return Assessment(
        exercise=case.scenario.id,
        title=case.scenario.title,
        variant=key.variant,
        state=state,
        criteria=tuple(criteria),
        hunks=hunks,
        needs_a_look=tuple(dict.fromkeys(doubts(case))),
        notes=tuple(notes_on(evidence, key)),
        commits=tuple(evidence.commits),
        makers=tuple(sorted({commit.author for commit in evidence.commits.values()} - cast)),
    )


def _with_points(id_: str, outcome: Outcome, weight: float) -> CriterionResult:
    possible = 0.0 if outcome.verdict == "skipped" else weight
    return CriterionResult(
        id=id_, outcome=outcome, points=round(possible * outcome.share, 2), possible=possible
    )


def _nothing_done(state: State, case: Case) -> str:
    if state != "untouched":
        return "Nothing of what was asked is there; only branches were moved."
    if aborted(case.evidence):
        return "Something was begun and aborted; the repository is as it was handed out."
    return "Nothing was attempted; the repository is as it was handed out."
