"""What Git shows a learner after a push: a few short lines, as far as the course tells."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator

from muddled_orchard.core.course.plan import Feedback
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.hints import hints, reasons, right_already
from muddled_orchard.core.grading.summary import (
    SAID,
    no_part,
    nothing_done,
    standing,
    summary,
)

WIDTH = 70
"""Git writes `remote: ` before each line, and up to 80 columns are sure."""

_STRENGTH = 2
_ITEM = " - "
_MOST = 16
_LONGEST = 400
_WORDS = {"met": "met", "partly": "in part", "missed": "not met"}


def push_lines(
    assessment: Assessment | None, told: Feedback, count: int, page: str, *, hand: bool = False
) -> list[str]:
    """The lines for a push that was graded as `found`; None: it is not graded yet. It is the learner's
    `count`-th to this exercise, `page` is where there is more, and `hand` says whether their hand is
    raised."""
    lines = [line for paragraph in _paragraphs(assessment, told, count) for line in _wrapped(paragraph)]
    if len(lines) > _MOST:
        lines = [*lines[: _MOST - 1], "..."]
    raised = ["Your hand is raised: your instructor sees it."] if hand else []
    return ["", *lines, *raised, f"More: {page}", ""]


def _paragraphs(assessment: Assessment | None, told: Feedback, count: int) -> Iterator[str]:
    which = f"Push {count}"
    if assessment is None:
        yield f"{which} is safe here. It will be graded later: see the page."
        return
    if told == "none":
        yield f"{which} has come in, and is graded. The course tells the result later."
        return
    where = standing(assessment)
    if where == "unreadable":
        yield f"{which}: it can't be graded, {assessment.reason}."
        return
    points = (
        f", {assessment.points:g} of {assessment.possible:g} points" if told in ("criteria", "full") else ""
    )
    yield f"{which}: {SAID[where][0].lower()}{points}."
    if where == "got it":
        yield from reasons(assessment)
        return
    yield nothing_done(assessment) or summary(assessment)
    if where == "not started":
        return
    yield from _criteria(assessment) if told == "full" else _hinted(assessment, told)
    if right := right_already(assessment):
        yield f"Right already: {' '.join(right)}"


def _hinted(assessment: Assessment, told: Feedback) -> Iterator[str]:
    for hint in hints(assessment, _STRENGTH):
        worth = next(criterion for criterion in assessment.criteria if criterion.id == hint.criterion)
        points = f" ({worth.points:g} of {worth.possible:g} points)" if told == "criteria" else ""
        yield f"{_ITEM}{hint.text}{points}"


def _criteria(assessment: Assessment) -> Iterator[str]:
    for criterion in assessment.criteria:
        outcome = criterion.outcome
        if outcome.verdict in ("met", "skipped") or no_part(outcome):
            continue
        points = f"{criterion.points:g} of {criterion.possible:g} points"
        yield f"{_ITEM}{criterion.id} {_WORDS[outcome.verdict]} ({points}): {outcome.because}"


def _wrapped(paragraph: str) -> list[str]:
    """A paragraph in lines; nothing in it can speak to a terminal."""
    plain = "".join(letter if letter.isprintable() else " " for letter in paragraph)
    mark = _ITEM if plain.startswith(_ITEM) else ""
    text = textwrap.shorten(plain[len(mark) :], _LONGEST, placeholder=" ...")
    return textwrap.wrap(
        text, WIDTH, initial_indent=mark, subsequent_indent=" " * len(mark), break_on_hyphens=False
    )
