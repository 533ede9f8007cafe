"""A walkthrough in the terminal: all of it, or one step at a time."""

from __future__ import annotations

import io
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.walkthrough.shown import shown_blocks
from muddled_orchard.core.walkthrough.walkthrough import Walkthrough, WalkthroughStep
from muddled_orchard.show.document.terminal import show_blocks
from muddled_orchard.show.terminal.characters import printable, speaks_unicode
from muddled_orchard.show.terminal.drawn_graph import show_graph
from muddled_orchard.show.terminal.plain import Plain


def show_walkthrough(on: Plain, walkthrough: Walkthrough) -> None:
    """Everything, from the first step to the last."""
    on.styled((printable(walkthrough.title, on), "strong"), (f"  {walkthrough.id}", "faint"))
    on.line(f"{counted(len(walkthrough.steps), 'step')}.", "faint")
    before: WalkthroughStep | None = None
    for step in walkthrough.steps:
        on.line()
        _show_step(on, step, before)
        before = step


def walkthrough_text(walkthrough: Walkthrough) -> str:
    """The same as plain text, 100 letters wide."""
    out = io.StringIO()
    show_walkthrough(Plain(out, width=100), walkthrough)
    return out.getvalue()


def _show_step(on: Plain, step: WalkthroughStep, before: WalkthroughStep | None) -> None:
    tried = "  (tried, and undone again)" if step.wrong_turn else ""
    rule = "─" if speaks_unicode(on) else "-"
    on.line(rule * min(on.width, 78), "faint")
    title = f"{step.number}  {printable(step.title, on)}"
    on.styled((title, "strong"), (tried, "doubt"), (f"  {step.name}", "faint"))
    show_blocks(on, shown_blocks(step))
    if step.graph is not None and (before is None or step.graph != before.graph):
        on.line()
        show_graph(on, step.graph)


# -- One step at a time ---------------------------------------------------------------------------------

NEXT, BACK, QUIT = "next", "back", "quit"
_KEYS = {
    " ": NEXT, "\r": NEXT, "\n": NEXT, "n": NEXT, "\x1b[C": NEXT, "\x1b[B": NEXT, "\x1b[6~": NEXT,
    "b": BACK, "\x7f": BACK, "\b": BACK, "\x1b[D": BACK, "\x1b[A": BACK, "\x1b[5~": BACK,
    "q": QUIT, "\x1b": QUIT, "\x04": QUIT, "": QUIT,
}  # fmt: skip


def step_through(walkthrough: Walkthrough) -> None:
    """Show one screen at a time, and wait for keys. Raises BadInput where the terminal can't do that."""
    with _key_by_key() as read:
        from rich.text import Text

        from muddled_orchard.show.terminal.console import console  # only where somebody steps through

        on = console()
        coloured = on.color_system is not None
        screens = _screens(walkthrough, on.width, max(8, on.height) - 2, coloured=coloured)
        at = 0
        with on.screen(hide_cursor=True):
            while True:
                title, lines = screens[at]
                on.clear()
                for line in lines:
                    sys.stdout.write(f"{line}\n")
                on.print(Text(f"{title}   Space: on   b: back   q: end", style="reverse"), end="")
                sys.stdout.flush()
                pressed = _KEYS.get(read())
                if pressed == QUIT or (pressed == NEXT and at == len(screens) - 1):
                    return
                at = min(at + 1, len(screens) - 1) if pressed == NEXT else max(0, at - (pressed == BACK))


def _screens(
    walkthrough: Walkthrough, width: int, height: int, *, coloured: bool
) -> list[tuple[str, Sequence[str]]]:
    """What fits on a screen each: a long step takes several."""
    screens: list[tuple[str, Sequence[str]]] = []
    before: WalkthroughStep | None = None
    last = walkthrough.steps[-1].number
    for step in walkthrough.steps:
        drawn = io.StringIO()
        _show_step(Plain(drawn, width=width, coloured=coloured), step, before)
        before = step
        lines = drawn.getvalue().split("\n")[1:]
        parts = [lines[start : start + height] for start in range(0, len(lines), height)]
        for number, part in enumerate(parts, start=1):
            more = f", {number} of {len(parts)}" if len(parts) > 1 else ""
            screens.append((f" Step {step.number} of {last}{more}", part))
    return screens


@contextmanager
def _key_by_key() -> Iterator[Callable[[], str]]:
    """The terminal gives each key as it is pressed, to what is yielded; afterwards it is as it was."""
    hint = "Leave --step out; or write a page to step through: --to FILE.html"
    problem = BadInput(Problem("this terminal can't wait for keys", hint))
    if not (sys.stdin.isatty() and sys.stdout.isatty()) or os.environ.get("TERM", "") in ("", "dumb"):
        raise problem
    try:
        import termios
        import tty
    except ImportError:  # a system without such terminals
        raise problem from None
    descriptor = sys.stdin.fileno()
    kept = termios.tcgetattr(descriptor)
    try:
        tty.setcbreak(descriptor)
        # An arrow or a page key sends several letters at once.
        yield lambda: os.read(descriptor, 8).decode("utf-8", "replace")
    finally:
        termios.tcsetattr(descriptor, termios.TCSADRAIN, kept)
