"""What was planted, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import command, counted, listed
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.am import MAILBOX
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.walkthrough.walkthrough import WalkthroughStep
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.show.terminal.plain import Plain, Styled, at_the_right


def show_steps(on: Plain, steps: Sequence[WalkthroughStep]) -> None:
    """The steps at which a scenario can be planted."""
    rows: list[list[Styled]] = [[("", ""), ("--at", "faint"), ("it stands after", "faint")]]
    for number, step in zip(at_the_right([str(step.number) for step in steps]), steps, strict=True):
        tried = "  (tried, and undone again)" if step.wrong_turn else ""
        title = f"{printable(step.title, on)}{tried}"
        rows.append([(number, "faint"), (step.name, "strong"), (title, "")])
    on.columns(rows, whole=(0,))


def show_planted(
    on: Plain,
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
    on.styled(("Planted ", "good"), (printable(scenario.title, on), "strong"), (f" in {folder}", ""))
    on.line()
    on.line(f"  {folder}/BRIEF.md   what the learner reads")
    holds = f"the repository: {counted(len(held), 'commit')} on {listed(list(history.tips))}"
    if not history.commits:
        holds = f"no repository yet: it begins with git init; {CLAIM} says what it is"
    on.line(f"  {folder}/work       {holds}")
    if any(task.patches for task in scenario.task):
        on.line(f"  {folder}/{MAILBOX}   the patches")
    if at is not None:
        on.line()
        on.line(f"It stands after step {at.number}, {at.name}: {printable(at.title, on)}")
        if at.half == "task":
            on.line("Marks are given only for what was not done yet.")
    on.line()
    on.line("To do, with plain Git:")
    for task in scenario.task:
        on.line(f"  {in_words(task)}")
    on.line()
    on.unbroken((f"Then: {printable(command(*then), on)}", "strong"))
