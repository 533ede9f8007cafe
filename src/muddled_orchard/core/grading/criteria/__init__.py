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
    made,
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
        made,
    )
}
"""By id, in the order in which results show them."""


def weight_of(scenario: Scenario, criterion: str) -> float:
    """How many points a criterion is worth in a scenario."""
    if criterion in scenario.points:
        return float(scenario.points[criterion])
    about = CRITERIA[criterion]
    return about.weighs_in(scenario) if about.weighs_in is not None else about.weight
