"""Where a learner stands, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import command
from muddled_orchard.core.git.under_way import Words
from muddled_orchard.core.submission.left_to_do import LeftToDo
from muddled_orchard.core.submission.next_commands import Next
from muddled_orchard.core.submission.peek import Peek
from muddled_orchard.show.terminal.characters import printable, shortened, sign
from muddled_orchard.show.terminal.plain import Plain

_MOST = 24


def show_peek(on: Plain, peek: Peek, standing: tuple[Sequence[str], str] = ((), "")) -> None:
    """What is going on, who is who, what is left, what to type next. `standing`: the commands that lead to
    the repository, and what its paths begin with where the learner stands."""
    on.line(printable(peek.doing, on), "strong")
    if peek.ours:
        on.line()
        sides = (("ours", peek.ours), ("theirs", peek.theirs))
        on.columns([[(f"  {side}", ""), (printable(f"is {who}", on), "")] for side, who in sides], whole=(0,))
    if peek.left:
        on.line()
        on.line("Left to do:" if not peek.done else "Worth knowing:", "strong")
        _left(on, peek.left)
    on.line()
    if peek.done:
        text = (
            "Nothing is left to do here." if peek.knows_tasks else "Nothing is pending or left lying about."
        )
        on.line(f"{sign(on, 'met')} {text}", "good")
        if not peek.knows_tasks:
            on.line("  What was asked doesn't stand in this copy: compare it with your brief.")
        return
    ways, prefix = standing
    if peek.reading:
        on.line(peek.reading)
        on.line("To see them in another way:")
        for item in peek.other_views:
            _next(on, item, prefix)
        on.line()
    if ways or peek.commands or peek.back:
        on.line("Next:", "strong")
    for way in ways:
        on.unbroken((f"  {printable(way, on)}", "strong"))
    for item in peek.commands:
        _next(on, item, prefix)
    if peek.back:
        kept = " (the stash is still there)" if "reset" in peek.back and "stash" in peek.doing else ""
        on.line(f"The way back, to how it was before{kept}:")
        on.unbroken((f"  {command(*peek.back)}", ""))


def _left(on: Plain, left: Sequence[LeftToDo]) -> None:
    first = [item for item in left if item.kind in ("instead", "give up")]
    for item in first:
        on.columns([[(f"  {_mark(on, item)}", _style(item)), (printable(item.what, on), "")]], whole=(0,))
    placed = [item for item in left if item.where]
    rows = []
    for item in placed[:_MOST]:
        where = shortened(printable(item.where, on), on.width // 2)
        rows.append([(f"  {_mark(on, item)} {where}", _style(item)), (printable(item.what, on), "")])
    if rows:
        on.columns(rows, whole=(0,))
    if len(placed) > _MOST:
        on.line(f"    and {len(placed) - _MOST} more")
    for item in (item for item in left if not item.where and item not in first):
        on.columns([[(f"  {_mark(on, item)}", _style(item)), (printable(item.what, on), "")]], whole=(0,))


def _mark(on: Plain, item: LeftToDo) -> str:
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


def _next(on: Plain, item: Next, prefix: str) -> None:
    """A command as it is typed where the learner stands, and why; a long one has the reason below it."""
    if not item.command:
        on.line(f"  (edit) {item.why}")
        return
    lead = "    or: " if item.instead else "  "
    typed = printable(command(*_typed(item.command, prefix)), on)
    why = printable(item.why, on)
    if len(lead) + len(typed) + 2 + len(why) <= on.width:
        on.unbroken((lead, ""), (typed, "strong"), (f"  {why}", ""))
    else:
        on.unbroken((lead, ""), (typed, "strong"))
        on.line(f"        {why}")
