"""rules: the scenario's own checks of the result hold."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.exercise.file_rules import broken
from muddled_orchard.core.exercise.scenario import Rule, Scenario
from muddled_orchard.core.exercise.text_rules import Flaw, Undecided
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.grading.assessment import Outcome, Place, met, partly, skipped
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.rules import (
    CommandFailed,
    NoRules,
    RuleBroken,
    RulesHold,
    RulesNotRun,
    RulesUndecided,
)


def judge(case: Case) -> Outcome:
    """The share of the scenario's rules that hold for what was left at the end, each by its weight; those
    that can't be decided are left out."""
    if not case.scenario.rule:
        return skipped(NoRules())
    failures: list[tuple[Kind, Place]] = []
    decided = lost = 0.0
    for number, rule in enumerate(case.scenario.rule):
        try:
            found = _broken(case, number, rule)
        except Undecided:
            continue
        decided += rule.weight
        if found is not None:
            what, line = found
            lost += rule.weight
            failures.append((_in_words(rule, what, line), Place(rule.file or None, line)))
    if not decided:
        left_out = [rule for rule in case.scenario.rule if rule.runs is not None]
        return skipped(
            RulesNotRun(len(left_out)) if left_out and not case.evidence.runs else RulesUndecided()
        )
    if not failures:
        return met(RulesHold())
    share = round(1 - lost / decided, 9)
    return partly([kind for kind, _ in failures], share, tuple(place for _, place in failures))


def _in_words(rule: Rule, what: str, line: int | None) -> Kind:
    if rule.runs is not None:
        return CommandFailed(brief(rule.runs, 60), what, rule.why)
    return RuleBroken(rule.file, line, what, rule.why)


def _broken(case: Case, number: int, rule: Rule) -> Flaw | None:
    """How a rule is broken. Raises Undecided."""
    if rule.runs is None:
        blob = judged_tree(case).get(rule.file)
        return broken(rule, None if blob is None else case.texts.get(blob.id, b""))
    run = case.evidence.runs.get(number)
    if run is None or run.passed is None:
        raise Undecided(f"{brief(rule.runs, 60)} was not run: {run.reason if run else 'nobody asked for it'}")
    return None if run.passed else (run.reason, None)


def undecided(case: Case) -> Iterator[str]:
    """Why rules could not be decided; that commands were not asked for needs no look."""
    for number, rule in enumerate(case.scenario.rule):
        if rule.runs is not None and number not in case.evidence.runs:
            continue
        try:
            _broken(case, number, rule)
        except Undecided as reason:
            yield str(reason)


def judged_tree(case: Case) -> Tree:
    """What was left at the end: the last result, or what is checked out."""
    if case.final_tree is not None:
        return case.final_tree
    head = case.commits.get(case.evidence.head_commit or "")
    return head.tree if head else {}


_WEIGHT = 2


def _weighs_in(scenario: Scenario) -> float:
    """A rule that is the point of an exercise weighs more; several are worth what they are on average."""
    weights = [rule.weight for rule in scenario.rule]
    return _WEIGHT * sum(weights) / len(weights) if weights else _WEIGHT


CRITERION = Criterion(
    id="rules",
    weight=_WEIGHT,
    weighs_in=_weighs_in,
    judge=judge,
    question="Does the result hold together?",
    right="The result holds together.",
    kind="Read the file as the one would who uses it.",
    by_file=True,
)
