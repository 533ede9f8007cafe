"""A person's verdict as JSON."""

from __future__ import annotations

from typing import Annotated, TypedDict

from muddled_orchard.core.grading.assessment import Settled
from muddled_orchard.show.json.shapes import Verdict, about


class SettledOut(TypedDict):
    """A person's verdict, which the result follows, beside the grader's own."""

    earned: Annotated[float | None, about("The share that it earns, 0 to 1; null: as graded.")]
    by: str
    reason: str
    made: Annotated[str, about("When, in UTC.")]
    graded: Annotated[Verdict, about("The grader's own verdict.")]
    graded_share: Annotated[float, about("The share that the grader gave, 0 to 1.")]


def settled_json(settled: Settled | None) -> SettledOut | None:
    """A person's verdict beside the grader's."""
    if settled is None:
        return None
    return {
        "earned": settled.earned,
        "by": settled.by,
        "reason": settled.reason,
        "made": settled.made,
        "graded": settled.verdict,
        "graded_share": settled.share,
    }
