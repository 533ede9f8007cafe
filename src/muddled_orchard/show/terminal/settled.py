"""What persons settled in a work, in the terminal, wherever its result is shown."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.text import Text

from muddled_orchard.core.grading.settling import SettledThing
from muddled_orchard.show.terminal.characters import printable, sign


def show_settled_things(on: Console, things: Sequence[SettledThing]) -> None:
    """What persons settled in a work, each beside what the grader had said."""
    if things:
        on.print()
        on.print(Text("Settled by a person:", style="strong"))
        for thing in things:
            on.print(Text(f"  {sign(on, thing.verdict)} {printable(thing.said, on)}"))
