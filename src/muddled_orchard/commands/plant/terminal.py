"""What was planted, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import command, counted, listed
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.am import MAILBOX
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.walkthrough.walkthrough import WalkthroughStep
from muddled_orchard.show.terminal.characters import printable


def show_steps(on: Console, steps: Sequence[WalkthroughStep]) -> None:
    """The steps at which a scenario can be planted."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("", justify="right", style="faint")
    table.add_column("--at", style="strong", overflow="fold")
    table.add_column("it stands after", overflow="fold")
    for step in steps:
        tried = "  (tried, and undone again)" if step.wrong_turn else ""
        table.add_row(str(step.number), step.name, Text(f"{printable(step.title, on)}{tried}"))
    on.print(table)


def show_planted(
    on: Console,
    folder: str,
    scenario: Scenario,
    history: History,
    then: Sequence[str],
    at: WalkthroughStep | None = None,
) -> None:
    """The folder, what is in it, and what comes next: `then` is the command that grades it, `at` the step at
    which it stands."""
    folder = printable(folder, on)
    places = (*history.tips.values(), *history.tracked.values())
    held = set[int]().union(*(history.ancestors(place) for place in places))
    on.print(Text.assemble(("Planted ", "good"), (printable(scenario.title, on), "strong"), f" in {folder}"))
    on.print()
    on.print(Text(f"  {folder}/BRIEF.md   what the learner reads"))
    holds = f"the repository: {counted(len(held), 'commit')} on {listed(list(history.tips))}"
    if not history.commits:
        holds = f"no repository yet: it begins with git init; {CLAIM} says what it is"
    on.print(Text(f"  {folder}/work       {holds}"))
    if any(task.patches for task in scenario.task):
        on.print(Text(f"  {folder}/{MAILBOX}   the patches"))
    if at is not None:
        on.print()
        on.print(Text(f"It stands after step {at.number}, {at.name}: {printable(at.title, on)}"))
        if at.half == "task":
            on.print(Text("Marks are given only for what was not done yet."))
    on.print()
    on.print(Text("To do, with plain Git:"))
    for task in scenario.task:
        on.print(Text(f"  {in_words(task)}"))
    on.print()
    on.print(Text(f"Then: {printable(command(*then), on)}", style="strong"), soft_wrap=True)
