"""One graded submission in the terminal, as prose with its hunks."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console, Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import brief, counted, repeats_id
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, HunkResult
from muddled_orchard.core.grading.hints import reasons
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.core.grading.summary import SAID, got_it, no_part, nothing_done, standing, summary
from muddled_orchard.show.terminal.characters import STYLES, printable, sign, speaks_unicode
from muddled_orchard.show.terminal.settled import show_settled_things

_MOST_LINES = 12


_WIDE = 100


def show_one(on: Console, result: Collected) -> None:
    """One submission, as prose with its hunks."""
    assessment = result.assessment
    on.print(heading(on, result))
    on.print()
    on.print(verdict(on, assessment))
    if not result.counts:
        text = "It counts for nobody: this variant was not handed out to them."
        on.print(Text(f"{sign(on, 'unreadable')} {text}", style="bad"))
    show_settled_things(on, settled_things(assessment))
    if assessment.state == "unreadable":
        return
    lacking = [
        criterion for criterion in assessment.criteria if criterion.outcome.verdict in ("partly", "missed")
    ]
    if lacking and not nothing_done(assessment):
        on.print()
        on.print(_criteria(on, lacking))
    idle = nothing_done(assessment) is not None
    bad = [hunk for hunk in assessment.hunks if hunk.outcome in ("partly", "missed") and not idle]
    for hunk in bad:
        on.print()
        on.print(_hunk(on, hunk))
    good = [hunk for hunk in assessment.hunks if hunk.outcome == "met"]
    on.print()
    if good and bad:
        places = ", ".join(f"{hunk.file}{f' hunk {hunk.hunk}' if hunk.hunk else ''}" for hunk in good)
        on.print(Text(f"{sign(on, 'met')} Resolved as accepted: {printable(places, on)}", style="good"))
    _ids(on, assessment, "met", "Met")
    if got_it(assessment):
        show_reasons(on, assessment)
    skipped = [criterion for criterion in assessment.criteria if criterion.outcome.verdict == "skipped"]
    for criterion in skipped:
        if not no_part(criterion.outcome):
            text = f"{sign(on, 'skipped')} {criterion.id} was skipped: {criterion.outcome.because}"
            on.print(Text(printable(text, on), style="faint"))
    if other := [criterion.id for criterion in skipped if no_part(criterion.outcome)]:
        text = f"{sign(on, 'skipped')} Not part of this exercise: {', '.join(other)}"
        on.print(Text(text, style="faint"))
    if assessment.notes:
        text = f"{sign(on, 'skipped')} On the way: {'; '.join(assessment.notes)}."
        on.print(Text(printable(text, on), style="faint"))
    for doubt in assessment.needs_a_look:
        on.print(Text(f"? Needs a look: {printable(doubt, on)}.", style="doubt"))


def show_reasons(on: Console, assessment: Assessment) -> None:
    """Why it is right, for those who have got it."""
    for reason in reasons(assessment):
        on.print(Text(f"  Why: {printable(reason, on)}"))


def heading(on: Console, result: Collected) -> Text:
    """Whose it is, and which exercise."""
    assessment = result.assessment
    name = f"{result.name} ({result.learner})" if result.name != result.learner else result.learner
    heading = Text(printable(name, on), style="strong")
    if assessment.exercise:
        title = printable(assessment.title, on)
        alike = repeats_id(title, assessment.exercise)
        heading.append(f"  {assessment.exercise if alike else title}", style="default")
        about = "" if alike else f"{assessment.exercise}, "
        heading.append(f"  ({about}variant {printable(assessment.variant, on)})", style="faint")
    return heading


def verdict(on: Console, assessment: Assessment) -> Text:
    """The standing with the points, and how it went in a sentence."""
    score = f"{assessment.points:g} of {assessment.possible:g} points ({assessment.percent:g} %)"
    where = standing(assessment)
    word, mark = SAID[where]
    head = f"{sign(on, mark)} {word}"
    if where == "unreadable":
        return Text(f"{head}: {printable(assessment.reason, on)}.", style="bad")
    reason = nothing_done(assessment) or ("" if where == "got it" else summary(assessment))
    reason_text = f" {printable(reason, on)}" if reason else ""
    return Text(f"{head}: {score}.{reason_text}", style=STYLES[mark])


def _criteria(on: Console, criteria: Sequence[CriterionResult]) -> Table:
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(no_wrap=True)
    table.add_column(no_wrap=True, justify="right")
    table.add_column(overflow="fold")
    for criterion in criteria:
        verdict = criterion.outcome.verdict
        table.add_row(
            Text(f"{sign(on, verdict)} {criterion.id}", style=STYLES[verdict]),
            Text(f"{criterion.points:g} of {criterion.possible:g}"),
            Text(printable(criterion.outcome.because, on)),
        )
    return table


def _hunk(on: Console, hunk: HunkResult) -> RenderableType:
    """A conflict with its sides, what was left there and what is accepted."""
    wanted = hunk.wanted if hunk.wanted is not None else _gone(hunk)
    accepted = (f"accepted: {' or '.join(hunk.accepted)}", wanted, "good")
    return Group(*conflict_sides(on, hunk, accepted))


def conflict_sides(on: Console, hunk: HunkResult, *more: tuple[str, str | None, str]) -> list[RenderableType]:
    """A conflict's base, ours and theirs with their branches, what was left, and `more` (name, text, style):
    side by side where the terminal is wide enough, else under one another."""
    where = f"{hunk.file}{f', hunk {hunk.hunk}' if hunk.hunk else ''}"
    if hunk.subject or hunk.commit:
        where += f' (of "{brief(hunk.subject or hunk.commit or "")}")'
    sides = [("base", hunk.base, "faint"), (hunk.ours_name, hunk.ours, "default")]
    sides.append((hunk.theirs_name, hunk.theirs, "default"))
    left = "default" if hunk.outcome == "met" else "bad"
    results = [("left there now", hunk.left, left), *more]
    shown: list[RenderableType] = [_stacked(on, [*sides, *results])]
    if on.width >= _WIDE:
        shown = [_beside(on, sides), Text(), _beside(on, results)]
    return [Text(printable(where, on), style="strong"), *(Padding(one, (0, 0, 0, 2)) for one in shown)]


def _stacked(on: Console, rows: Sequence[tuple[str, str | None, str]]) -> Table:
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(overflow="fold", max_width=on.width // 2)
    table.add_column(overflow="fold")
    for name, text, style in rows:
        table.add_row(Text(printable(name, on), style=style), _block(on, text, style))
    return table


def _beside(on: Console, columns: Sequence[tuple[str, str | None, str]]) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), expand=True, header_style="")
    for name, _, style in columns:
        table.add_column(Text(printable(name, on), style=style), ratio=1, overflow="fold")
    table.add_row(*(_block(on, text, style) for _, text, style in columns))
    return table


def _gone(hunk: HunkResult) -> str | None:
    return None if "gone" in hunk.accepted else ""


def _block(on: Console, text: str | None, style: str) -> Text:
    bar = "│" if speaks_unicode(on) else "|"
    if text is None:
        return Text(f"{bar} (no such file)", style="faint")
    lines = text.splitlines()
    if not lines:
        return Text(f"{bar} (nothing)", style="faint")
    shown = [f"{bar} {printable(line, on)}" for line in lines[:_MOST_LINES]]
    if len(lines) > _MOST_LINES:
        shown.append(f"{bar} ... {counted(len(lines) - _MOST_LINES, 'more line')}")
    return Text("\n".join(shown), style=style)


def _ids(on: Console, assessment: Assessment, verdict: str, word: str) -> None:
    ids = [criterion.id for criterion in assessment.criteria if criterion.outcome.verdict == verdict]
    if ids:
        on.print(Text(f"{sign(on, verdict)} {word}: {', '.join(ids)}", style=STYLES[verdict]))
