"""rules: the scenario's own checks of the result hold."""

from __future__ import annotations

from muddled_orchard.core.assessment import Outcome, Place, met, partly, skipped
from muddled_orchard.core.case import Case
from muddled_orchard.core.rules import broken


def judge(case: Case) -> Outcome:
    """The share of the scenario's rules that hold for what was left at the end."""
    rules = case.scenario.rule
    if not rules:
        return skipped("This scenario has no rules of its own.")
    tree = case.final_tree or {}
    failures: list[tuple[str, Place]] = []
    for rule in rules:
        blob = tree.get(rule.file)
        found = broken(rule, None if blob is None else case.texts.get(blob.id, b""))
        if found is not None:
            what, line = found
            why = f" {rule.why}" if rule.why else ""
            failures.append(
                (f"{rule.file}{f', line {line}' if line else ''}: {what}.{why}", Place(rule.file, line))
            )
    if not failures:
        return met("The scenario's own checks hold.")
    share = 1 - len(failures) / len(rules)
    return partly(" ".join(text for text, _ in failures), share, tuple(place for _, place in failures))
