"""The criteria: a module each, and one line here.

To add one, write its module, with a function `judge` and its `CRITERION`, and its line in `CRITERIA`.
"""

from __future__ import annotations

from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.criteria import (
    bystanders,
    delivered,
    finished,
    history,
    markers,
    message,
    resolution,
    rest,
    rules,
    tidy,
    work,
)
from muddled_orchard.core.grading.criteria.criterion import Criterion

RESOLUTION = resolution.CRITERION.id

CRITERIA: dict[str, Criterion] = {
    module.CRITERION.id: module.CRITERION
    for module in (
        finished,
        markers,
        history,
        resolution,
        rest,
        rules,
        bystanders,
        tidy,
        delivered,
        message,
        work,
    )
}
"""By id, in the order in which results show them."""


def weight_of(scenario: Scenario, criterion: str) -> float:
    """How many points a criterion is worth in a scenario. Where the list of a rebase is asked for, it is what
    is taught: the history then weighs as much as the conflicts."""
    if criterion == rules.CRITERION.id and criterion not in scenario.points and scenario.rule:
        # A rule that is the point of an exercise weighs more; several are worth what they are on average.
        return rules.CRITERION.weight * sum(rule.weight for rule in scenario.rule) / len(scenario.rule)
    taught = RESOLUTION if criterion == history.CRITERION.id and lists(scenario) else criterion
    return float(scenario.points.get(criterion, CRITERIA[taught].weight))


def lists(scenario: Scenario) -> bool:
    """Whether a task gives the list of an interactive rebase."""
    return any(task.todo is not None for task in scenario.task)
