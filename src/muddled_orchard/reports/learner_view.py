"""Feedback for a learner who is to try again: never what is wanted, but hints in three strengths.

1: where to look. 2: also what was found there, with the sides of each conflict. 3: also the reason that the
key gives.
"""

from __future__ import annotations

from rich.console import Console, Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.assessment import HINTS, CriterionResult, HunkResult
from muddled_orchard.core.collected import Collected
from muddled_orchard.core.summary import nothing_done
from muddled_orchard.reports.grade_view import conflict_sides, heading, verdict
from muddled_orchard.reports.terminal import STYLES, printable, sign

_QUESTIONS = {
    "finished": "Is everything completed and committed?",
    "markers": "Are all conflict markers gone?",
    "history": "Does the history have the shape that the brief asks for?",
    "resolution": "Is each conflict resolved as the brief asks?",
    "rest": "Did everything that did not conflict come through unchanged?",
    "rules": "Does the result hold together?",
    "bystanders": "Do all other branches stand where they stood?",
    "tidy": "Is the right branch checked out, and the working tree clean?",
    "delivered": "Was everything pushed and deleted that was to be?",
}
_KEPT = {
    "unresolved": "the conflict is still there, with its markers",
    "gone": "the file is not there any more",
    "neither": "neither side is there any more",
    "base": "it is as it was before either side changed it",
    "blend": "it is neither side, nor both",
    "ours+theirs": "both sides are there, ours first",
    "theirs+ours": "both sides are there, theirs first",
}


def show_for_learner(on: Console, result: Collected, hint: int) -> None:
    """One submission, with hints of this strength."""
    assessment = result.assessment
    on.print(heading(on, result))
    on.print()
    on.print(verdict(on, assessment))
    lacking = [c for c in assessment.criteria if c.outcome.verdict in ("partly", "missed")]
    if assessment.state == "unreadable" or nothing_done(assessment) or not lacking:
        return
    on.print()
    on.print(Text("Look again:", style="strong"))
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(overflow="fold")
    for criterion in lacking:
        style = STYLES[criterion.outcome.verdict]
        table.add_row(
            Text(f"  {sign(on, criterion.outcome.verdict)}", style=style),
            Text(printable(_hint(criterion, hint), on)),
        )
    on.print(table)
    if hint > 1:
        for hunk in assessment.hunks:
            if hunk.outcome == "missed":
                on.print()
                on.print(_conflict(on, hunk, hint))
    if hint < max(HINTS):
        on.print()
        on.print(Text(f"For a stronger hint: --hint {hint + 1}", style="faint"))


def _hint(criterion: CriterionResult, hint: int) -> str:
    question = _QUESTIONS.get(criterion.id, criterion.id)
    # What is said of a resolution or a rule may give the answer away; the conflicts follow below.
    if hint > 1 and criterion.id not in ("resolution", "rules"):
        return f"{question} {criterion.outcome.because}"
    places = [
        f"{place.file}, line {place.line}" if place.line else place.file
        for place in criterion.outcome.where
        if place.file
    ]
    return f"{question} {'; '.join(dict.fromkeys(places))}".strip()


def _conflict(on: Console, hunk: HunkResult, hint: int) -> RenderableType:
    names = {"ours": hunk.ours_name, "theirs": hunk.theirs_name}
    kept = _KEPT.get(hunk.kept) or f"{names.get(hunk.kept, hunk.kept)} was kept"
    if hunk.kept == "unresolved" and hunk.hunk is None:
        kept = "the conflict is still there, neither side was chosen"
    if hunk.left_at:
        kept = f"it lies at {hunk.left_at}, where one of the sides had it"
    parts: list[RenderableType] = [
        *conflict_sides(on, hunk),
        Padding(Text(f"There now: {printable(kept, on)}."), (0, 0, 0, 2)),
    ]
    if hint > 2 and hunk.why:
        parts.append(Padding(Text(f"Think of this: {printable(hunk.why.strip(), on)}"), (0, 0, 0, 2)))
    return Group(*parts)
