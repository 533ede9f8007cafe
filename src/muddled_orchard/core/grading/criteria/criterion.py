"""What a criterion is to everything else."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct

from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Outcome
from muddled_orchard.core.grading.case import Case


class Criterion(Struct, frozen=True, kw_only=True):
    """One criterion: what it is worth, how it is judged, and what a learner is told who is to try again.

    `question` leads to what is not right, `right` says that it is. A hint of the second strength has the
    judge's own reason where that names nothing that is wanted (`tells_reason`), or `kind`, which says what
    kind of thing it is. One of the third has `commands` that show more, or where `by_file` what Git knows of
    each file that is named. `weighs_in` is what it weighs in a scenario, where that hangs on what is asked.
    `of_tasks`: it is judged task by task, so that of a work that a team shares each has what is theirs.
    """

    id: str
    weight: float
    weighs_in: Callable[[Scenario], float] | None = None
    judge: Callable[[Case], Outcome]
    question: str
    right: str
    tells_reason: bool = False
    kind: str = ""
    commands: tuple[str, ...] = ()
    by_file: bool = False
    of_tasks: bool = False
