"""Feedback for a learner in the terminal: how it stands, what is right already, and where to look again."""

from __future__ import annotations

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.grading.assessment import HINTS
from muddled_orchard.core.grading.hints import Hint, hints, right_already
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.core.grading.summary import got_it, nothing_done
from muddled_orchard.show.terminal.characters import STYLES, printable, sign
from muddled_orchard.show.terminal.result import heading, show_reasons, verdict
from muddled_orchard.show.terminal.settled import show_settled_things

_MOST_PLACES = 6


def show_for_learner(on: Console, result: Collected, hint: int) -> None:
    """One submission, with hints of this strength."""
    assessment = result.assessment
    on.print(heading(on, result))
    on.print()
    on.print(verdict(on, assessment))
    show_settled_things(on, settled_things(assessment))
    if got_it(assessment):
        show_reasons(on, assessment)
        return
    if assessment.state == "unreadable" or nothing_done(assessment):
        return
    if right := right_already(assessment):
        on.print()
        on.print(Text("Right already:", style="strong"))
        for sentence in right:
            _item(on, "met", sentence)
    found = hints(assessment, hint)
    if not found:  # a person has settled it otherwise
        return
    on.print()
    on.print(Text("Look again:", style="strong"))
    for one in found:
        _show(on, one)
    if hint < max(HINTS):
        on.print()
        on.print(Text(f"For a stronger hint: --hint {hint + 1}", style="faint"))


def _show(on: Console, hint: Hint) -> None:
    places = f" {listed(hint.places, _MOST_PLACES)}" if hint.places else ""
    _item(on, hint.verdict, hint.question + places)
    for sentence in hint.what:
        _item(on, " ", sentence)
    for typed in hint.commands:
        on.print(Text(f"      {printable(typed, on)}", style="strong"), soft_wrap=True)


def _item(on: Console, mark: str, text: str) -> None:
    style = STYLES.get(mark, "default")
    shown = sign(on, mark) if mark.strip() else " "
    grid = Table.grid(padding=(0, 1, 0, 0))
    grid.add_row(Text(f"  {shown}", style=style), Text(printable(text, on)))
    on.print(grid)
