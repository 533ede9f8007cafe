"""Persons' verdicts in the terminal: what needs a look, one work with both verdicts, what was settled."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.course.allowances import Allowance, time_with_zone
from muddled_orchard.core.course.class_record import ClassRecord, WorkToSettle
from muddled_orchard.core.course.one_result import accepted_text, result_blocks
from muddled_orchard.core.course.told import conflict_told, settled_told
from muddled_orchard.core.course.totals import Attempt
from muddled_orchard.core.grading.assessment import Settled
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.grading.settling import (
    ALL,
    SettledThing,
    Settlement,
    conflict_names,
)
from muddled_orchard.core.grading.summary import no_part
from muddled_orchard.show.document.terminal import show_blocks
from muddled_orchard.show.terminal.characters import printable, sign
from muddled_orchard.show.terminal.plain import Cell, Plain, show_item


def show_waiting(on: Plain, record: ClassRecord, waiting: Sequence[Attempt]) -> None:
    """A line for each work that needs a look, and one for each verdict that was given."""
    if waiting:
        on.line(f"{counted(len(waiting), 'submission')} to look at:", "strong")
        rows: list[Sequence[Cell]] = []
        for attempt in waiting:
            doubts = attempt.work.verdicts.doubts if attempt.work.verdicts else ()
            why = printable("; ".join(restored(doubt).said for doubt in doubts), on)
            name = printable(attempt.learner, on)
            rows.append((name, attempt.exercise, f"{attempt.percent:.0f}", (why, "doubt")))
        on.table(("learner", "exercise", "%", "why"), rows, whole=(0, 1, 2), right=(2,))
        on.line("muddled settle --next goes through them.", "faint")
    else:
        on.line("Nothing needs a look.", "good")
    settlements = [settlement for several in record.rules.settlements.values() for settlement in several]
    if settlements:
        on.line()
        on.line(f"{counted(len(settlements), 'verdict')} so far:", "strong")
        rows = []
        for settlement in sorted(settlements, key=lambda settlement: settlement.id):
            cells = (
                settlement.learner,
                settlement.exercise,
                settlement.about,
                _earned(settlement),
                settlement.by,
                settlement.reason,
            )
            rows.append([printable(cell, on) for cell in cells])
        on.table(("learner", "exercise", "on", "earns", "by", "why"), rows, whole=(0, 1, 3, 4))
    allowed = [mark.allowance for total in record.standing.totals for mark in total.marks if mark.allowance]
    if allowed:
        on.line()
        on.line(f"{counted(len(allowed), 'exception')}:", "strong")
        rows = []
        for one in allowed:
            about = (one.learner, one.exercise, _allowed(one), one.by or "the course file", one.reason)
            rows.append([printable(cell, on) for cell in about])
        on.table(("learner", "exercise", "what", "by", "why"), rows, whole=range(4))


def show_allowed(
    on: Plain, record: ClassRecord, allowances: Iterable[Allowance], *, undone: bool = False
) -> None:
    """What learners are allowed now, or were until it was taken back."""
    for allowance in allowances:
        _show_allowed(on, record, allowance, undone=undone)


def _show_allowed(on: Plain, record: ClassRecord, allowance: Allowance, *, undone: bool) -> None:
    whose = f"{record.name(allowance.learner)}, {record.title(allowance.exercise)}"
    text = f"{whose}: {_allowed(allowance)}{' is taken back' if undone else ''}."
    on.line(printable(text, on), "strong")
    total = next(one for one in record.standing.totals if one.learner == allowance.learner)
    on.line(f"The total is {total.percent:g} % now." if total.counting else "No exercise counts now.")


def _allowed(allowance: Allowance) -> str:
    return "excused" if allowance.due is None else f"time until {time_with_zone(allowance.due)}"


def show_work(on: Plain, work: WorkToSettle, record: ClassRecord, before: str = "") -> None:
    """A work as it counts, why it needs a look, and what was settled."""
    if before:
        on.line()
        on.line(before.strip(), "faint")
    if work.counting is None:
        name = printable(f"{record.name(work.learner)} ({work.learner})", on)
        on.styled((name, "strong"), (f"  {record.title(work.exercise)}", ""))
        what = "Nothing was handed in" if work.attempt is None else "Of this grading no result is kept"
        show_item(on, sign(on, "skipped"), f"{what}.", "faint")
        settlements = record.rules.settlements.get((work.learner, work.exercise), ())
        for settlement in [
            settlement
            for settlement in settlements
            if settlement.about == ALL and settlement.earned is not None
        ][-1:]:
            own = Settled(
                earned=settlement.earned,
                by=settlement.by,
                reason=settlement.reason,
                made=settlement.made,
                verdict="missed",
                share=0.0,
            )
            show_blocks(on, settled_told([SettledThing(ALL, own)]))
        return
    show_blocks(on, result_blocks(work.counting))
    _show_doubtful(on, work)
    if work.graded is not None and not work.counting.assessment.doubts:
        for doubt in work.graded.needs_a_look:
            show_item(on, "?", f"A person has looked at this: {doubt}.", "faint")


def _show_doubtful(on: Plain, work: WorkToSettle) -> None:
    """The conflicts that a doubt is about, where they were judged right: the others are shown already."""
    if work.graded is None:
        return
    places = {(doubt.values.get("file"), doubt.values.get("hunk")) for doubt in work.graded.doubts}
    for hunk in work.graded.hunks[:_MOST_HUNKS]:
        if hunk.outcome == "met" and places & {(hunk.file, hunk.hunk), (hunk.file, None)}:
            show_blocks(on, conflict_told(hunk, "left there now", accepted_text(hunk)))


_MOST_HUNKS = 8


def show_how_to_answer(on: Plain, work: WorkToSettle) -> None:
    """What can be typed."""
    names: list[str] = []
    if work.graded is not None:
        criteria = (criterion.id for criterion in work.graded.criteria if not no_part(criterion.outcome))
        names = [*criteria, *conflict_names(work.graded)]
    on.line()
    on.line("Your verdict:", "strong")
    rows = (
        ("ok REASON", "looked at, it stays as graded (the reason may be left out)"),
        ("WHAT PERCENT REASON", f"WHAT is {ALL}, or one of: {', '.join(names)}"),
        ("later", "leave it for now"),
        ("stop", "leave this one and all others"),
    )
    on.columns([[(f"  {typed}", "strong"), printable(meaning, on)] for typed, meaning in rows], whole=(0,))


def show_settled(on: Plain, gone: Settlement | None, other: Settlement | None, *, undone: bool) -> None:
    """What became of a verdict: written down, in the place of another or not; or taken back, and what holds
    again."""
    if not undone:
        more = f", in the place of {_verdict(other)}" if other else ""
        text = f"Written down{more}. --undo takes it back."
    else:
        more = f"{_verdict(other)} holds again" if other else "it is as graded again"
        text = f"Taken back: {_verdict(gone)}; {more}." if gone else ""
    on.line()
    on.line(printable(text, on))


def show_whose(on: Plain, record: ClassRecord, learners: Sequence[str], others: Sequence[str]) -> None:
    """Whose what was said is, where a team shares a work: of several `learners`, or of one and not of the
    `others`."""
    if len(learners) > 1:
        text = f"That is for all who share it: {listed([record.name(one) for one in learners])}."
    elif others:
        with_them = listed([record.name(one) for one in others])
        text = f"That is for {record.name(learners[0])} alone; --team says it for {with_them}, too."
    else:
        return
    on.line(printable(text, on))


def _verdict(settlement: Settlement | None) -> str:
    return (
        f"the verdict of {settlement.by} on {settlement.about} ({_earned(settlement)})" if settlement else ""
    )


def _earned(settlement: Settlement) -> str:
    return "as graded" if settlement.earned is None else f"{100 * settlement.earned:.3g} %"
