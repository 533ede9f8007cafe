"""rules: the scenario's own checks of the result hold."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.exercise.file_rules import broken
from muddled_orchard.core.exercise.scenario import Rule
from muddled_orchard.core.exercise.text_rules import Undecided
from muddled_orchard.core.grading.assessment import Outcome, Place, met, partly, skipped
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds import NoRules, RuleBroken, RulesHold, RulesUndecided


def judge(case: Case) -> Outcome:
    """The share of the scenario's rules that hold for what was left at the end; those that can't be decided
    are left out."""
    if not case.scenario.rule:
        return skipped(NoRules())
    failures: list[tuple[Kind, Place]] = []
    decided = 0
    for rule, data in _with_files(case):
        try:
            found = broken(rule, data)
        except Undecided:
            continue
        decided += 1
        if found is not None:
            what, line = found
            failures.append((RuleBroken(rule.file, line, what, rule.why), Place(rule.file, line)))
    if not decided:
        return skipped(RulesUndecided())
    if not failures:
        return met(RulesHold())
    share = 1 - len(failures) / decided
    return partly([kind for kind, _ in failures], share, tuple(place for _, place in failures))


def undecided(case: Case) -> Iterator[str]:
    """Why rules could not be decided."""
    for rule, data in _with_files(case):
        try:
            broken(rule, data)
        except Undecided as reason:
            yield str(reason)


def _with_files(case: Case) -> Iterator[tuple[Rule, bytes | None]]:
    head = case.commits.get(case.evidence.head_commit or "")
    tree = case.final_tree if case.final_tree is not None else head.tree if head else {}
    for rule in case.scenario.rule:
        blob = tree.get(rule.file)
        yield rule, None if blob is None else case.texts.get(blob.id, b"")


CRITERION = Criterion(
    id="rules",
    weight=2,
    judge=judge,
    question="Does the result hold together?",
    right="The result holds together.",
    kind="Read the file as the one would who uses it.",
    by_file=True,
)
