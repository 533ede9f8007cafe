"""A drill in the terminal: where one stands, what comes next, what was found."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.commands.drill.practising import Drill, Looked
from muddled_orchard.core.base.phrases import command, listed, times
from muddled_orchard.core.course.drilling import ROW, SkillStanding
from muddled_orchard.core.course.one_result import hinted_blocks
from muddled_orchard.core.course.told import why_right
from muddled_orchard.core.grading.assessment import HINTS
from muddled_orchard.core.walkthrough.shown import shown_blocks
from muddled_orchard.files.course.drill_file import UnderWay
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from muddled_orchard.show.document.terminal import show_blocks
from muddled_orchard.show.terminal.characters import printable, sign
from muddled_orchard.show.terminal.peeked import show_peek
from muddled_orchard.show.terminal.plain import Cell, Plain, show_item
from muddled_orchard.vcs.walkthrough.walking import walk_through


def show_standings(on: Plain, drill: Drill) -> None:
    """A line for each skill, and how to go on."""
    rows: list[Sequence[Cell]] = []
    for group, skills in drill.groups().items():
        rows.append(("", (group, "faint"), "", "", "", ""))
        rows += (_row(on, one, drill.count(one.skill)) for one in skills)
    headings = ("", "", "exercises", "tried", f"in a row, of {ROW}", "")
    on.table(headings, rows, whole=range(5), right=(2, 3, 4))
    on.line()
    if drill.at_hand is not None:
        on.line(f"At hand: {drill.place(drill.at_hand)}. muddled drill looks at it.")
    else:
        on.line("Begin with one of them, as in: muddled drill merge. Or: muddled drill --any")


def _row(on: Plain, one: SkillStanding, exercises: int) -> tuple[Cell, ...]:
    mark, style = ("met", "good") if one.sits else ("partly", "doubt") if one.tried else ("skipped", "faint")
    counts = (str(one.tried), str(min(one.in_a_row, ROW))) if one.tried else ("", "")
    return (sign(on, mark), style), one.skill, str(exercises), *counts, (one.said, "faint")


def show_nothing_due(on: Plain, drill: Drill, wanted: Sequence[str]) -> None:
    """That all of it sits, or is worth trying again only later."""
    skills = [one for one in drill.standings() if not wanted or one.skill in wanted]
    waiting = [one.again for one in skills if one.again is not None]
    if waiting:
        when = f"{min(waiting).astimezone():%A, %H:%M}"
        text = f"Right {ROW} times in a row. It sits when it is right once more a day later: from {when} on."
    else:
        text = f"{listed([one.skill for one in skills], 4)}: it sits."
    show_item(on, sign(on, "met"), text, "good")


def show_begun(on: Plain, drill: Drill, begun: UnderWay, *, again: bool = False) -> None:
    """What to do now."""
    place, scenario = drill.place(begun), load(scenario_path(begun.exercise))
    if again:
        on.line()
    values = " with other values" if scenario.values else " once more"
    lead = f"The same task{values}" if again else f"Drilling {begun.skill}"
    on.line(f"{lead}: {scenario.title.strip()}", "strong")
    on.line(f"  Read {place}/BRIEF.md, and work in {place}/work.")
    on.line("  Then, from here: muddled drill")


def show_looked(on: Plain, drill: Drill, looked: Looked) -> None:
    """What was found, and how it goes on."""
    place, assessment = drill.place(looked.at_hand), looked.assessment
    if looked.right:
        show_item(on, sign(on, "met"), "Got it.", "good")
        show_blocks(on, why_right(assessment))
        on.line()
        on.line(f"Next: {command('muddled', 'drill', looked.at_hand.skill)}, or muddled drill --any")
        return
    if looked.going_on is not None:
        show_peek(on, looked.going_on, ([command("cd", f"{place}/work")], ""))
        return
    stronger = "Mend it, and: muddled drill. It tells more each time; --show gives the answer."
    strength = max(1, min(looked.failed, max(HINTS)))
    show_blocks(on, hinted_blocks(assessment, strength, "" if looked.again else stronger))
    if looked.again is not None:
        on.line()
        on.line(f"You have tried it {times(looked.failed)}. What you made stays in {place}.")
        show_begun(on, drill, looked.again, again=True)


def show_answer(on: Plain, given: UnderWay) -> None:
    """How the exercise is solved: each step with its reason, without the wrong turns."""
    whole = walk_through(load(scenario_path(given.exercise)), given.variant)
    told = [
        step
        for step in whole.steps
        if step.half == "task" and not step.wrong_turn and step.name.partition(":")[0] not in _LOOKS
    ]
    for number, step in enumerate(told):
        if number:
            on.line()
        on.line(printable(step.title, on), "strong")
        show_blocks(on, shown_blocks(step))


_LOOKS = ("ready", "file", "changes")
"""Steps that only look, before and at a conflict."""
