"""What a host says in the terminal: where it is, and each push."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.summary import SAID, standing
from muddled_orchard.show.terminal.characters import printable, sign
from muddled_orchard.show.terminal.plain import Plain, show_item


def show_serving(
    on: Plain, title: str, learners: int, url: str, lacking: Sequence[str], warnings: Sequence[str]
) -> None:
    """`lacking` are the learners without a password; `warnings` what is not as safe as it could be."""
    text = f"{sign(on, 'met')} {printable(title, on)}: served to {counted(learners, 'learner')} at {url}"
    on.unbroken((text, "good"))
    on.unbroken((f"The board: {url}board, as {INSTRUCTOR}. Learners begin at {url}, with their slips.", ""))
    for warning in warnings:
        on.unbroken((f"{sign(on, 'missed')} {printable(warning, on)}", "bad"))
    if lacking:
        who = printable(listed(list(lacking)), on)
        text = f"No password yet: {who}. muddled host --passwords FILE adds them."
        show_item(on, sign(on, "partly"), text, "doubt")
    on.line("Ctrl-C ends it; nothing is lost, and the same command goes on.", "faint")


def show_push(on: Plain, names: Mapping[str, str], push: RecordedPush, assessment: Assessment | None) -> None:
    """A line for a push that was graded."""
    if assessment is None:
        return
    word, verdict = SAID[standing(assessment)]
    at = f"{datetime.fromisoformat(push.at).astimezone():%H:%M}"
    who = printable(names.get(push.learner, push.learner), on)
    points = f", {assessment.points:g} of {assessment.possible:g}" if assessment.possible else ""
    style = {"met": "good", "partly": "doubt"}.get(verdict, "bad")
    shown = sign(on, "missed" if verdict == "unreadable" else verdict)
    what = f"{who}, {printable(push.exercise, on)}: {word.lower()}{points}"
    on.unbroken((f"{at}  ", ""), (shown, style), (f" {what}", ""))
