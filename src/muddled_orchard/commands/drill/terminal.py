"""A drill in the terminal: where one stands, what comes next, what was found."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

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
from muddled_orchard.show.terminal.console import plain
from muddled_orchard.show.terminal.peeked import show_peek
from muddled_orchard.vcs.walkthrough.walking import walk_through


def show_standings(on: Console, drill: Drill) -> None:
    """A line for each skill, and how to go on."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("")
    table.add_column("", no_wrap=True)
    for name in ("exercises", "tried", f"in a row, of {ROW}"):
        table.add_column(name, justify="right", no_wrap=True)
    table.add_column("")
    for group, skills in drill.groups().items():
        table.add_row("", Text(group, style="faint"))
        for one in skills:
            table.add_row(*_row(on, one, drill.count(one.skill)))
    on.print(table)
    on.print()
    if drill.at_hand is not None:
        on.print(Text(f"At hand: {drill.place(drill.at_hand)}. muddled drill looks at it."))
    else:
        on.print(Text("Begin with one of them, as in: muddled drill merge. Or: muddled drill --any"))


def _row(on: Console, one: SkillStanding, exercises: int) -> tuple[Text | str, ...]:
    mark, style = ("met", "good") if one.sits else ("partly", "doubt") if one.tried else ("skipped", "faint")
    counts = (str(one.tried), str(min(one.in_a_row, ROW))) if one.tried else ("", "")
    remark = Text(one.said, style="faint")
    return (Text(sign(on, mark), style=style), one.skill, str(exercises), *counts, remark)


def show_nothing_due(on: Console, drill: Drill, wanted: Sequence[str]) -> None:
    """That all of it sits, or is worth trying again only later."""
    skills = [one for one in drill.standings() if not wanted or one.skill in wanted]
    waiting = [one.again for one in skills if one.again is not None]
    if waiting:
        when = f"{min(waiting).astimezone():%A, %H:%M}"
        text = f"Right {ROW} times in a row. It sits when it is right once more a day later: from {when} on."
    else:
        text = f"{listed([one.skill for one in skills], 4)}: it sits."
    on.print(Text(f"{sign(on, 'met')} {text}", style="good"))


def show_begun(on: Console, drill: Drill, begun: UnderWay, *, again: bool = False) -> None:
    """What to do now."""
    place, scenario = drill.place(begun), load(scenario_path(begun.exercise))
    if again:
        on.print()
    values = " with other values" if scenario.values else " once more"
    lead = f"The same task{values}" if again else f"Drilling {begun.skill}"
    on.print(Text(f"{lead}: {scenario.title.strip()}", style="strong"))
    on.print(Text(f"  Read {place}/BRIEF.md, and work in {place}/work."))
    on.print(Text("  Then, from here: muddled drill"))


def show_looked(on: Console, drill: Drill, looked: Looked) -> None:
    """What was found, and how it goes on."""
    place, assessment = drill.place(looked.at_hand), looked.assessment
    if looked.right:
        on.print(Text(f"{sign(on, 'met')} Got it.", style="good"))
        show_blocks(plain(on), why_right(assessment))
        on.print()
        on.print(Text(f"Next: {command('muddled', 'drill', looked.at_hand.skill)}, or muddled drill --any"))
        return
    if looked.going_on is not None:
        show_peek(plain(on), looked.going_on, ([command("cd", f"{place}/work")], ""))
        return
    stronger = "Mend it, and: muddled drill. It tells more each time; --show gives the answer."
    strength = max(1, min(looked.failed, max(HINTS)))
    show_blocks(plain(on), hinted_blocks(assessment, strength, "" if looked.again else stronger))
    if looked.again is not None:
        on.print()
        on.print(Text(f"You have tried it {times(looked.failed)}. What you made stays in {place}."))
        show_begun(on, drill, looked.again, again=True)


def show_answer(on: Console, given: UnderWay) -> None:
    """How the exercise is solved: each step with its reason, without the wrong turns."""
    whole = walk_through(load(scenario_path(given.exercise)), given.variant)
    told = [
        step
        for step in whole.steps
        if step.half == "task" and not step.wrong_turn and step.name.partition(":")[0] not in _LOOKS
    ]
    for number, step in enumerate(told):
        if number:
            on.print()
        on.print(Text(printable(step.title, on), style="strong"))
        show_blocks(plain(on), shown_blocks(step))


_LOOKS = ("ready", "file", "changes")
"""Steps that only look, before and at a conflict."""
