"""One graded submission, for its instructor and for its learner."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.told import (
    conflict_told,
    made_told,
    settled_told,
    standing_told,
    whose,
    why_right,
)
from muddled_orchard.core.course.uncounted import UNCOUNTED
from muddled_orchard.core.document import (
    Block,
    Commands,
    Heading,
    Items,
    Paragraph,
    Score,
    Scores,
    Text,
)
from muddled_orchard.core.grading.assessment import HINTS, Assessment, CriterionResult, HunkResult
from muddled_orchard.core.grading.hints import hints, right_already
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.core.grading.summary import got_it, no_part, nothing_done

_MOST_PLACES = 6


def result_blocks(result: Collected) -> Iterator[Block]:
    """What an instructor is told of one submission: what is wrong with its conflicts, then the rest."""
    assessment = result.assessment
    yield whose(result)
    yield standing_told(assessment)
    if not result.counts:
        told = UNCOUNTED[result.uncounted]
        yield Paragraph(told.sentence, told.tone, joined=True)
    yield from settled_told(settled_things(assessment))
    if assessment.state == "unreadable":
        return
    wrong = [] if nothing_done(assessment) else _judged(assessment, "partly", "missed")
    if wrong:
        yield Scores(tuple(map(_score, wrong)))
    bad = [hunk for hunk in assessment.hunks if wrong and hunk.outcome in ("partly", "missed")]
    for hunk in bad:
        yield from conflict_told(hunk, "left there now", accepted_text(hunk))
    yield from made_told(assessment)
    ends = list(_at_the_end(assessment, bad))
    for number, paragraph in enumerate(ends):
        yield Paragraph(paragraph.text, paragraph.tone, joined=number > 0)


def accepted_text(hunk: HunkResult) -> Text:
    """What is accepted in a conflict."""
    wanted = hunk.wanted if hunk.wanted is not None or "gone" in hunk.accepted else ""
    return Text(f"accepted: {' or '.join(hunk.accepted)}", wanted, "met")


def _at_the_end(assessment: Assessment, bad: Sequence[HunkResult]) -> Iterator[Paragraph]:
    good = [hunk for hunk in assessment.hunks if hunk.outcome == "met"]
    if good and bad:
        places = (f"{hunk.file}{f' hunk {hunk.hunk}' if hunk.hunk else ''}" for hunk in good)
        yield Paragraph(f"Resolved as accepted: {', '.join(places)}", "met")
    if met := _judged(assessment, "met"):
        yield Paragraph(f"Met: {_ids(met)}", "met")
    if got_it(assessment):
        yield from why_right(assessment)
    skipped = _judged(assessment, "skipped")
    for criterion in skipped:
        if not no_part(criterion.outcome):
            yield Paragraph(f"{criterion.id} was skipped: {criterion.outcome.because}", "skipped")
    if others := [criterion for criterion in skipped if no_part(criterion.outcome)]:
        yield Paragraph(f"Not part of this exercise: {_ids(others)}", "skipped")
    if assessment.notes:
        yield Paragraph(f"On the way: {'; '.join(assessment.notes)}.", "skipped")
    for doubt in assessment.needs_a_look:
        yield Paragraph(f"Needs a look: {doubt}.", "look")


def _judged(assessment: Assessment, *verdicts: str) -> list[CriterionResult]:
    return [criterion for criterion in assessment.criteria if criterion.outcome.verdict in verdicts]


def _ids(criteria: Sequence[CriterionResult]) -> str:
    return ", ".join(criterion.id for criterion in criteria)


def _score(criterion: CriterionResult) -> Score:
    outcome = criterion.outcome
    points = f"{criterion.points:g} of {criterion.possible:g}"
    return Score(criterion.id, points, outcome.because, outcome.verdict)


def learner_blocks(result: Collected, strength: int) -> Iterator[Block]:
    """What a learner is told of one submission while they are at it: what is right already, and hints of this
    strength."""
    yield whose(result)
    stronger = f"For a stronger hint: --hint {strength + 1}" if strength < max(HINTS) else ""
    yield from hinted_blocks(result.assessment, strength, stronger)


def hinted_blocks(assessment: Assessment, strength: int, stronger: str) -> Iterator[Block]:
    """What is right already, and hints of this strength; below them what leads to `stronger` ones (empty:
    nothing does)."""
    yield standing_told(assessment)
    yield from settled_told(settled_things(assessment))
    yield from made_told(assessment)
    if got_it(assessment):
        yield from why_right(assessment)
        return
    if assessment.state == "unreadable" or nothing_done(assessment):
        return
    if right := right_already(assessment):
        yield Heading(3, "Right already")
        yield Items(right, "met")
    told = hints(assessment, strength)
    if not told:  # a person has settled it otherwise
        return
    yield Heading(3, "Look again")
    for hint in told:
        places = f" {listed(hint.places, _MOST_PLACES)}" if hint.places else ""
        yield Items((hint.question + places,), hint.verdict)
        yield Items(hint.what)
        yield Commands(hint.commands)
    if stronger:
        yield Paragraph(stronger, "faint")
