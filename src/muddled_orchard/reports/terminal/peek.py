"""Where a learner stands, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import command
from muddled_orchard.core.git.under_way import Words
from muddled_orchard.core.submission.peek import LeftToDo, Next, Peek
from muddled_orchard.reports.terminal.console import printable, shortened, sign

_MOST = 24


def show_peek(on: Console, peek: Peek, standing: tuple[Sequence[str], str] = ((), "")) -> None:
    """What is going on, who is who, what is left, what to type next. `standing`: the commands that lead to
    the repository, and what its paths begin with where the learner stands."""
    on.print(Text(printable(peek.doing, on), style="strong"))
    if peek.ours:
        on.print()
        table = Table.grid(padding=(0, 2, 0, 0))
        table.add_row(Text("  ours"), Text(printable(f"is {peek.ours}", on)))
        table.add_row(Text("  theirs"), Text(printable(f"is {peek.theirs}", on)))
        on.print(table)
    if peek.left:
        on.print()
        on.print(Text("Left to do:" if not peek.done else "Worth knowing:", style="strong"))
        _left(on, peek.left)
    on.print()
    if peek.done:
        text = (
            "Nothing is left to do here." if peek.knows_tasks else "Nothing is pending or left lying about."
        )
        on.print(Text(f"{sign(on, 'met')} {text}", style="good"))
        if not peek.knows_tasks:
            on.print(Text("  What was asked doesn't stand in this copy: compare it with your brief."))
        return
    on.print(Text("Next:", style="strong"))
    ways, prefix = standing
    for way in ways:
        on.print(Text(f"  {printable(way, on)}", style="strong"), soft_wrap=True)
    for item in peek.commands:
        _next(on, item, prefix)
    if peek.back:
        kept = " (the stash is still there)" if "reset" in peek.back and "stash" in peek.doing else ""
        on.print(Text(f"The way back, to how it was before{kept}:"))
        on.print(Text(f"  {command(*peek.back)}"))


def _left(on: Console, left: Sequence[LeftToDo]) -> None:
    table = Table.grid(padding=(0, 2, 0, 0))
    for item in [item for item in left if item.where][:_MOST]:
        where = shortened(printable(item.where, on), on.width // 2)
        table.add_row(
            Text(f"  {_mark(on, item)} {where}", style=_style(item)), Text(printable(item.what, on))
        )
    if table.row_count:
        on.print(table)
    if (more := sum(bool(item.where) for item in left) - _MOST) > 0:
        on.print(Text(f"    and {more} more"))
    for item in (item for item in left if not item.where):
        grid = Table.grid(padding=(0, 1, 0, 0))
        grid.add_row(Text(f"  {_mark(on, item)}", style=_style(item)), Text(printable(item.what, on)))
        on.print(grid)


def _mark(on: Console, item: LeftToDo) -> str:
    return sign(on, "missed" if item.work else "skipped")


def _style(item: LeftToDo) -> str:
    return "bad" if item.work else "faint"


def _typed(words: Words, prefix: str) -> list[str]:
    """The words of a command where paths begin so; the -- before them only where it is needed."""
    if "--" not in words:
        return list(words)
    at = words.index("--")
    paths = [prefix + path for path in words[at + 1 :]]
    return [*words[:at], *(["--"] if any(path.startswith("-") for path in paths) else []), *paths]


def _next(on: Console, item: Next, prefix: str) -> None:
    """A command as it is typed where the learner stands, and why; a long one has the reason below it."""
    if not item.command:
        on.print(Text(f"  (edit) {item.why}"))
        return
    typed = command(*_typed(item.command, prefix))
    line = Text.assemble("    or: " if item.instead else "  ", (printable(typed, on), "strong"))
    why = Text(f"  {printable(item.why, on)}")
    if len(line) + len(why) <= on.width:
        on.print(line + why)
    else:
        on.print(line, soft_wrap=True)
        on.print(Text.assemble("      ", why))
