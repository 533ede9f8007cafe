"""What is told of a work wherever it is told of: how it stands, what persons settled, a conflict's sides."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.base.phrases import brief, repeats_id
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.document import Block, Heading, Items, Paragraph, Text, Texts
from muddled_orchard.core.grading.assessment import Assessment, HunkResult, made_own
from muddled_orchard.core.grading.hints import reasons
from muddled_orchard.core.grading.settling import SettledThing
from muddled_orchard.core.grading.summary import SAID, nothing_done, standing, summary
from muddled_orchard.core.merging.keep import choice_of

_ORDERS = ("::", "##[")
"""How a line begins by which a program orders something of the continuous integration that runs it."""


def whose(result: Collected) -> Heading:
    """Whose it is, and which exercise."""
    assessment = result.assessment
    name = f"{result.name} ({result.learner})" if result.name != result.learner else result.learner
    if name.startswith(_ORDERS):
        name = f"\\{name}"
    if not assessment.exercise:
        return Heading(1, name)
    alike = repeats_id(assessment.title, assessment.exercise)
    about = f"{'' if alike else f'{assessment.exercise}, '}variant {assessment.variant}"
    about += f", {assessment.role_name}" if assessment.role else ""
    return Heading(1, name, about, assessment.exercise if alike else assessment.title)


def standing_told(assessment: Assessment, *, points: bool = True) -> Paragraph:
    """The standing, the points where they are told, and how it went in a sentence."""
    where = standing(assessment)
    word, verdict = SAID[where]
    if where == "unreadable":
        return Paragraph(f"{word}: {assessment.reason}.", verdict)
    score = (
        f": {assessment.points:g} of {assessment.possible:g} points ({assessment.percent:g} %)"
        if points
        else ""
    )
    reason = nothing_done(assessment) or ("" if where == "got it" else summary(assessment))
    return Paragraph(f"{word}{score}. {reason}".strip(), verdict)


def settled_told(things: list[SettledThing]) -> Iterator[Block]:
    """What persons settled, each beside what the grader had said."""
    if things:
        yield Heading(3, "Settled by a person")
    for thing in things:
        yield Items((thing.said,), thing.verdict)


def why_right(assessment: Assessment) -> Iterator[Paragraph]:
    """The key's reasons, for those who have got it."""
    for reason in reasons(assessment):
        yield Paragraph(f"Why: {reason}", joined=True)


def made_told(assessment: Assessment) -> Iterator[Block]:
    """What was kept in each conflict that the learner made, in a sentence each; nothing where none was to be
    made."""
    if not made_own(assessment.criteria):
        return
    told = []
    for hunk in assessment.hunks:
        choice = choice_of(hunk.kept)
        if choice is not None:
            line = f", line {hunk.line}" if hunk.hunk and hunk.line else ""
            kept = choice.told.format(ours=hunk.ours_name, theirs=hunk.theirs_name, order="")
            by = f", by {hunk.resolved_by}" if hunk.resolved_by else ""
            told.append(f"{hunk.file}{line}: {kept}{by}.")
    if told:
        yield Heading(3, "The conflicts that were made")
        yield Items(tuple(told[:_MOST_MADE]))


_MOST_MADE = 20


def conflict_told(hunk: HunkResult, left: str, *more: Text) -> Iterator[Block]:
    """A conflict's base, ours and theirs with their branches, and what became of it: what was left there,
    called `left`, and `more`."""
    subject = brief(hunk.subject or hunk.commit or "")
    yield Heading(4, place_of(hunk), f'of "{subject}"' if subject else "")
    sides = (
        Text("base", hunk.base, "faint"),
        Text(hunk.ours_name, hunk.ours),
        Text(hunk.theirs_name, hunk.theirs),
    )
    yield Texts(sides, (Text(left, hunk.left, "" if hunk.outcome == "met" else "missed"), *more))


def place_of(hunk: HunkResult) -> str:
    """Where a conflict is: `press.toml, hunk 2`."""
    return f"{hunk.file}, hunk {hunk.hunk}" if hunk.hunk else hunk.file
