"""The kinds of sketches, and what to do with one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from muddled_orchard.core.base.phrases import command, counted, have, listed, paths
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.show.terminal.plain import Plain, show_item


def show_kinds(on: Plain, kinds: Mapping[str, str], bundled: Sequence[str]) -> None:
    """The kinds with what they are about."""
    on.columns([[(kind, "strong"), about] for kind, about in kinds.items()], whole=(0,))
    on.line()
    on.line("Or course, for a course file: exercises in order, with weights and dates.")
    on.line(f"Or the id of one of the {len(bundled)} bundled scenarios (muddled catalogue), to copy it.")
    on.line("Then: muddled sketch KIND my-exercise.toml")


def show_written(
    on: Plain,
    file: str,
    copied: str = "",
    open_: int = 0,
    kept: Sequence[str] = (),
    *,
    empty: Sequence[str] = (),
    course: bool = False,
) -> None:
    """Where it is and what comes next: `copied` is where trees were copied to, `open_` counts the conflicts
    without an answer, `kept` are files that stay as Git merges them, `empty` folders of the trees in which
    nothing lies. `course`: it is a course file."""
    on.styled(("Wrote ", "good"), (printable(file, on), ""))
    if copied:
        on.line(f"The trees were copied to {printable(copied, on)}/, which belongs to it.")
    if kept:
        text = f"Whatever wanted/ says, this stays as Git merges it: {listed(list(kept))}."
        show_item(on, "!", text, "doubt")
    if empty:
        text = f"Git keeps no empty folders, so this is left out: {listed(list(empty), 6)}."
        show_item(on, "!", text, "doubt")
    if open_:
        what = f"{counted(open_, 'conflict')} {have(open_)} no answer yet; the file ends with beginnings."
        show_item(on, "!", what, "doubt")
    then = command("muddled", *(("handout",) if course else ("survey", *paths([file]))))
    on.unbroken((f"Edit it, then: {printable(then, on)}", ""))
