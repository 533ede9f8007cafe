"""What Git shows a learner after a push: a few short paragraphs, as far as the course tells."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.course.plan import Feedback
from muddled_orchard.core.document import Block, Items, Paragraph
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.hints import hints, reasons, right_already
from muddled_orchard.core.grading.summary import (
    SAID,
    no_part,
    nothing_done,
    standing,
    summary,
)

_STRENGTH = 2


def push_blocks(assessment: Assessment | None, told: Feedback, count: int) -> Iterator[Block]:
    """What is told of a push, a learner's `count`-th to an exercise; None: it is not graded yet."""
    which = f"Push {count}"
    if assessment is None:
        yield Paragraph(f"{which} is safe here. It will be graded later: see the page.")
        return
    if told == "none":
        yield Paragraph(f"{which} has come in, and is graded. The course tells the result later.")
        return
    where = standing(assessment)
    if where == "unreadable":
        yield Paragraph(f"{which}: it can't be graded, {assessment.reason}.")
        return
    score = f", {assessment.points:g} of {assessment.possible:g} points"
    yield Paragraph(f"{which}: {SAID[where][0].lower()}{score if told in ('criteria', 'full') else ''}.")
    if where == "got it":
        yield from map(Paragraph, reasons(assessment))
        return
    yield Paragraph(nothing_done(assessment) or summary(assessment))
    if where == "not started":
        return
    yield Items(tuple(_criteria(assessment) if told == "full" else _hinted(assessment, told)))
    if right := right_already(assessment):
        yield Paragraph(f"Right already: {' '.join(right)}")


def _hinted(assessment: Assessment, told: Feedback) -> Iterator[str]:
    for hint in hints(assessment, _STRENGTH):
        worth = next(criterion for criterion in assessment.criteria if criterion.id == hint.criterion)
        points = f" ({worth.points:g} of {worth.possible:g} points)" if told == "criteria" else ""
        yield f"{hint.text}{points}"


def _criteria(assessment: Assessment) -> Iterator[str]:
    for criterion in assessment.criteria:
        outcome = criterion.outcome
        if outcome.verdict in ("met", "skipped") or no_part(outcome):
            continue
        points = f"{criterion.points:g} of {criterion.possible:g} points"
        yield f"{outcome.because.rstrip('.')} ({points})."
