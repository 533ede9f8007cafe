"""A course in the terminal: the total of each learner, and what is behind it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.course.plan import CoursePlan
from muddled_orchard.core.course.totals import ExerciseMark, LearnerTotal
from muddled_orchard.show.terminal.characters import printable, shortened, sign
from muddled_orchard.show.terminal.plain import Cell, Plain


def show_totals(
    on: Plain, plan: CoursePlan, names: Mapping[str, str], totals: Sequence[LearnerTotal]
) -> None:
    """A line for each learner: the total, how many exercises were done and passed, what was late."""
    if not any(total.marks for total in totals):
        return
    on.line()
    on.line(printable(plan.title, on), "strong")
    headings = ("learner", "total", "handed in", "passed", "late", "not handed in")
    rows = (_row(on, names, total) for total in totals)
    on.table(headings, rows, whole=range(5), right=range(1, 5))
    by_commit = sum(
        mark.attempt is not None and mark.attempt.known == "newest commit"
        for total in totals
        for mark in total.marks
    )
    if by_commit and any(exercise.due for exercise in plan.exercise):
        when = "When work was done is told by its newest commit, as the learner's own clock had it"
        on.line()
        on.line(f"{when} ({counted(by_commit, 'attempt')}).", "faint")


def _row(on: Plain, names: Mapping[str, str], total: LearnerTotal) -> list[Cell]:
    name = shortened(printable(names.get(total.learner, total.learner), on), max(16, on.width // 3))
    style = "default" if total.passed is None else "good" if total.passed else "bad"
    mark = "" if total.passed is None else f"{sign(on, 'met' if total.passed else 'missed')} "
    done = [one for one in total.counting if one.attempt is not None]
    settled = [one.exercise for one in total.counting if one.attempt is None and one.has_result]
    asked = [one for one in total.counting if one.passed is not None]
    missing = [one.exercise for one in total.counting if not one.has_result]
    excused = [one.exercise for one in total.marks if one.excused]
    parts = [listed(missing, 3)] if missing else []
    parts += [f"settled without it: {listed(settled, 3)}"] if settled else []
    parts += [f"excused from {listed(excused, 3)}"] if excused else []
    late = sum(one.attempt.days_late > 0 for one in done if one.attempt)
    return [
        (f"{mark}{name}", style),
        f"{total.percent:g} %" if total.counting or not total.marks else "excused",
        f"{len(done)} of {len(total.counting)}",
        f"{sum(bool(one.passed) for one in asked)} of {len(asked)}" if asked else "",
        str(late) if late else "",
        ("; ".join(parts), "faint"),
    ]


def in_words(mark: ExerciseMark) -> str:
    """What an exercise came to: `80 % (2 days late, 20 % less)`."""
    attempt = mark.attempt
    if attempt is None:
        return "nothing handed in"
    late = f"{counted(attempt.days_late, 'day')} late" if attempt.days_late else ""
    less = f", {attempt.lost:g} % less" if attempt.lost else ""
    return f"{attempt.counted:g} %" + (f" ({late}{less})" if late else "")
