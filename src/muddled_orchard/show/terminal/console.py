"""A terminal on which something changes in its place, in the styles of `plain`: a bar, the board."""

from __future__ import annotations

import sys
from typing import TextIO

from rich.console import Console
from rich.theme import Theme

from muddled_orchard.show.terminal.plain import AS_WIDE_AS_NEEDED, width_of

# good: as wanted; bad: not as wanted; doubt: in between, or for a person to decide.
THEME = Theme({"good": "green", "bad": "red", "doubt": "yellow", "faint": "dim", "strong": "bold"})


class _Console(Console):
    """A console that leaves it to the program what is done when nobody reads any more."""

    def on_broken_pipe(self) -> None:
        """Called where a BrokenPipeError is caught; it goes on."""
        raise  # noqa: PLE0704


def console(stream: TextIO | None = None) -> Console:
    """A console for stdout (or another stream): no colour where that is no terminal or NO_COLOR is set, and
    nothing wrapped there; and no markup, so that no text from a repository can pass for ours."""
    out = stream or sys.stdout
    on = _Console(file=out, theme=THEME, markup=False, highlight=False, emoji=False)
    if width_of(out) == AS_WIDE_AS_NEEDED:
        on.width = AS_WIDE_AS_NEEDED
    return on
