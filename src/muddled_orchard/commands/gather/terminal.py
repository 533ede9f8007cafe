"""What came of gathering, in the terminal: how many, and of whom not and why."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from muddled_orchard.core.base.phrases import command, paths
from muddled_orchard.core.course.sources import Gathered
from muddled_orchard.show.terminal.characters import printable, sign
from muddled_orchard.show.terminal.failed import show_failed
from muddled_orchard.show.terminal.plain import Plain, show_item


def show_gathered(on: Plain, out: str, found: Sequence[Gathered], *, quiet: bool = False) -> None:
    """`out` is the folder that they went to; with `quiet` only what failed is told."""
    states = Counter(gathered.state for gathered in found)
    failed = [gathered for gathered in found if gathered.state == "failed"]
    if not quiet:
        there = len(found) - len(failed)
        parts = [f"{states[state]} {state}" for state in ("new", "changed", "unchanged") if states[state]]
        text = f"{there} {'repository' if there == 1 else 'repositories'}"
        text += f": {', '.join(parts)}." if parts else "."
        show_item(on, sign(on, "met" if there else "missed"), text, "good" if there else "bad")
    if failed and not quiet:
        on.line()
    show_failed(on, "Not gathered", [(gathered.source, gathered.reason) for gathered in failed])
    if not quiet and len(failed) < len(found):
        on.line()
        then = command("muddled", "grade", *paths([out]))
        on.unbroken((f"To grade them: {printable(then, on)}", ""))
