"""A course in the terminal: the total of each learner, and what is behind it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.course.plan import CoursePlan
from muddled_orchard.core.course.totals import ExerciseMark, LearnerTotal
from muddled_orchard.show.terminal.characters import printable, shortened, sign


def show_totals(
    on: Console, plan: CoursePlan, names: Mapping[str, str], totals: Sequence[LearnerTotal]
) -> None:
    """A line for each learner: the total, how many exercises were done and passed, what was late."""
    if not any(total.marks for total in totals):
        return
    on.print()
    on.print(Text(printable(plan.title, on), style="strong"))
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("learner", no_wrap=True)
    for name in ("total", "handed in", "passed", "late"):
        table.add_column(name, justify="right", no_wrap=True)
    table.add_column("not handed in", overflow="fold")
    for total in totals:
        table.add_row(*_row(on, names, total))
    on.print(table)
    by_commit = sum(
        mark.attempt is not None and mark.attempt.known == "newest commit"
        for total in totals
        for mark in total.marks
    )
    if by_commit and any(exercise.due for exercise in plan.exercise):
        when = "When work was done is told by its newest commit, as the learner's own clock had it"
        on.print()
        on.print(Text(f"{when} ({counted(by_commit, 'attempt')}).", style="faint"))


def _row(on: Console, names: Mapping[str, str], total: LearnerTotal) -> list[Text]:
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
        Text(f"{mark}{name}", style=style),
        Text(f"{total.percent:g} %" if total.counting or not total.marks else "excused"),
        Text(f"{len(done)} of {len(total.counting)}"),
        Text(f"{sum(bool(one.passed) for one in asked)} of {len(asked)}" if asked else ""),
        Text(str(late) if late else ""),
        Text("; ".join(parts), style="faint"),
    ]


def in_words(mark: ExerciseMark) -> str:
    """What an exercise came to: `80 % (2 days late, 20 % less)`."""
    attempt = mark.attempt
    if attempt is None:
        return "nothing handed in"
    late = f"{counted(attempt.days_late, 'day')} late" if attempt.days_late else ""
    less = f", {attempt.lost:g} % less" if attempt.lost else ""
    return f"{attempt.counted:g} %" + (f" ({late}{less})" if late else "")
