"""One module a criterion, each with the same function `judge(case) -> Outcome`.

A new criterion is a new module here, its id in `core.scenario.CRITERIA` with a weight, and a line in
`JUDGES`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from muddled_orchard.core.grading.assessment import Outcome
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria import (
    bystanders,
    delivered,
    finished,
    history,
    markers,
    resolution,
    rest,
    rules,
    tidy,
)

JUDGES: Mapping[str, Callable[[Case], Outcome]] = {
    "finished": finished.judge,
    "markers": markers.judge,
    "history": history.judge,
    "resolution": resolution.judge,
    "rest": rest.judge,
    "rules": rules.judge,
    "bystanders": bystanders.judge,
    "tidy": tidy.judge,
    "delivered": delivered.judge,
}
"""In the order in which results show them."""
