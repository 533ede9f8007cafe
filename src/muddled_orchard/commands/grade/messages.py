"""What is wrong as messages, each about a place: what continuous integration shows at a line."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.grading.assessment import CriterionResult, HunkResult, Place, Verdict
from muddled_orchard.core.grading.criteria.resolution import wrong_conflict
from muddled_orchard.core.grading.summary import nothing_done

Severity = Literal["error", "warning"]

_SEVERITY: Mapping[Verdict, Severity] = {"missed": "error", "partly": "warning"}


class Message(Struct, frozen=True, kw_only=True):
    """One thing that is wrong: in which submission, in which of its files (empty: in none of them) and line
    (None: in no certain one), how much it matters, what it is, and by which criterion."""

    submission: str
    file: str = ""
    line: int | None = None
    severity: Severity = "error"
    text: str
    criterion: str

    @property
    def place(self) -> str:
        """What it is shown at: the file, else the submission."""
        return self.file or self.submission


def messages(collected: Sequence[Collected]) -> Iterator[Message]:
    """A message for each place of each criterion that is not met; one alone for what can't be read, and for
    what nobody has begun. Files are behind the submission's path where there are several."""
    for result in collected:
        prefix = f"{result.submission}/" if len(collected) > 1 else ""
        assessment = result.assessment
        if assessment.state == "unreadable":
            text = f"it can't be read: {assessment.reason}"
            yield Message(submission=result.submission, text=text, criterion="readable")
        elif (idle := nothing_done(assessment)) is not None:
            yield Message(submission=result.submission, text=idle, criterion="finished")
        else:
            for criterion in assessment.criteria:
                if criterion.outcome.verdict in _SEVERITY:
                    yield from _of_criterion(prefix, result, criterion)


def _of_criterion(prefix: str, result: Collected, criterion: CriterionResult) -> Iterator[Message]:
    places = [place for place in criterion.outcome.where if place.file] or [Place(None)]
    for place in dict.fromkeys(places):
        yield Message(
            submission=result.submission,
            file=f"{prefix}{place.file}" if place.file else "",
            line=place.line,
            severity=_SEVERITY[criterion.outcome.verdict],
            text=_about(place, criterion, result.assessment.hunks),
            criterion=criterion.id,
        )


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
