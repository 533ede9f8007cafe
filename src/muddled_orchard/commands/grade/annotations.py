"""What is wrong as messages of the form that compilers print, for editors and continuous integration:
`FILE:LINE: error: MESSAGE [CRITERION]`."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.grading.assessment import CriterionResult, HunkResult, Place
from muddled_orchard.core.grading.criteria.resolution import wrong_conflict
from muddled_orchard.show.terminal.characters import printable

_SEVERITY = {"missed": "error", "partly": "warning"}


def annotation_file(collected: Sequence[Collected]) -> str:
    """A line for each place of each criterion that is not met. Paths are those in the repository; behind the
    submission's where there are several."""
    lines = []
    for submission in collected:
        prefix = f"{submission.submission}/" if len(collected) > 1 else ""
        if submission.assessment.state == "unreadable":
            lines.append(
                f"{submission.submission}: error: it can't be read: {submission.assessment.reason} [readable]"
            )
        for criterion in submission.assessment.criteria:
            if criterion.outcome.verdict in _SEVERITY:
                lines += _lines(prefix, submission, criterion)
    return "".join(f"{printable(line)}\n" for line in lines)


def _lines(prefix: str, submission: Collected, criterion: CriterionResult) -> Iterator[str]:
    severity = _SEVERITY[criterion.outcome.verdict]
    places = [place for place in criterion.outcome.where if place.file] or [Place(submission.submission)]
    for place in dict.fromkeys(places):
        before = prefix if place.file != submission.submission else ""
        at = f":{place.line}" if place.line else ""
        message = _about(place, criterion, submission.assessment.hunks)
        yield f"{before}{place.file}{at}: {severity}: {message} [{criterion.id}]"


def _about(place: Place, criterion: CriterionResult, hunks: Sequence[HunkResult]) -> str:
    """What is said of one place: of a conflict that one alone, where the key may be told."""
    if criterion.id == "resolution":
        for hunk in hunks:
            if (
                hunk.outcome == "missed"
                and (hunk.file, hunk.line) == (place.file, place.line)
                and hunk.accepted
            ):
                return wrong_conflict(hunk).said.partition(": ")[2]
    return criterion.outcome.because
