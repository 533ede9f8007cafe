"""What a ledger holds: in the terminal one line an exercise, and as tables to take elsewhere."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from statistics import median

from muddled_orchard.core.base.phrases import be, counted
from muddled_orchard.core.course.records import Work
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.show.spreadsheet import EXCUSED, Rows
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.show.terminal.plain import Plain, show_item


def show_ledger(
    on: Plain,
    path: str,
    learners: Mapping[str, Learner],
    given: Sequence[tuple[str, str]],
    works: Sequence[Work],
) -> None:
    """The course in a few lines; marks are those that count. `given` is what was handed out (learner,
    exercise)."""
    gradings = [work.grading for work in works]
    on.line(printable(path, on), "strong")
    held = ((learners, "learner"), (given, "hand-out"), (gradings, "grading"))
    on.line(", ".join(counted(len(rows), word) for rows, word in held) + ".")
    if not given and not gradings:
        return
    on.line()
    rows = []
    for exercise in dict.fromkeys(
        (
            *(exercise for _, exercise in given),
            *(grading.exercise for grading in gradings if not given),
        )
    ):
        if exercise:
            rows.append(_row(exercise, given, works))
    headings = ("exercise", "handed out", "came back", "median", "not yet", "last graded")
    on.table(headings, rows, whole=range(6), right=range(1, 5))
    lost = len({grading.submission for grading in gradings if grading.state == "unreadable"})
    foreign = {
        grading.submission for grading in gradings if given and grading.exercise and grading.learner is None
    }
    if lost or foreign:
        on.line()
    if lost:
        show_item(on, "!", f"In {counted(lost, 'submission')} nothing could be read.", "doubt")
    if foreign:
        text = f"{counted(len(foreign), 'submission')} {be(len(foreign))} not of this course"
        show_item(on, "!", f"{text}, and not in these figures.", "doubt")


def _row(exercise: str, handed_out: Sequence[tuple[str, str]], works: Sequence[Work]) -> list[str]:
    given = {learner for learner, of in handed_out if of == exercise}
    graded = [
        work for work in works if work.grading.exercise == exercise and work.grading.state != "unreadable"
    ]
    graded = [work for work in graded if work.grading.learner is not None] if given else graded
    best: dict[str, float] = {}
    for work in graded:
        learner = work.grading.learner or work.grading.submission
        best[learner] = max(work.percent, best.get(learner, 0.0))
    back = given & best.keys() if given else best.keys()
    last = max((work.grading.graded for work in graded), default="")
    middle = f"{median(best.values()):.0f} %" if best else ""
    return [
        exercise,
        str(len(given)),
        str(len(back)),
        middle,
        str(len(given - best.keys())),
        last[:16].replace("T", " "),
    ]


def show_rows(on: Plain, rows: Rows) -> None:
    """A table as it is exported, the names of its columns first; columns in which nothing stands are left
    out. A record is one line, however wide."""
    heads, *body = [list(row) for row in rows]
    shown = [number for number in range(len(heads)) if any(row[number] != "" for row in body)]
    shown = shown or [*range(len(heads))]
    right = [
        place
        for place, number in enumerate(shown)
        if body and all(isinstance(row[number], (int, float)) or row[number] in ("", EXCUSED) for row in body)
    ]
    cells = [[printable(_cell(row[number]), on) for number in shown] for row in body]
    on.table([str(heads[number]) for number in shown], cells, whole=range(len(shown)), right=right)


def _cell(value: object) -> str:
    return "excused" if value is EXCUSED else f"{value:g}" if isinstance(value, float) else str(value)
