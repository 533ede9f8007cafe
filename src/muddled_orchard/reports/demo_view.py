"""The demo's account of itself: what was done, the class, one learner's feedback, what to try next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rich.console import Console
from rich.text import Text

from muddled_orchard.core.collected import Collected
from muddled_orchard.reports.grade_view import show_many, show_one
from muddled_orchard.reports.terminal import printable


def show_demo(
    on: Console, folder: str, said: Mapping[str, str], results: Sequence[Collected], read_aloud: str
) -> None:
    """`said` tells what each learner did, `read_aloud` names the one whose feedback is shown in full."""
    place = printable(f"{folder}/submissions", on)
    title = results[0].assessment.title
    _heading(on, f'1. Planted "{title}" for {len(results)} learners, each with numbers of their own')
    on.print(Text(f"   {place}/NAME has BRIEF.md to read and work/ to work in."))
    _heading(on, "2. Each of them merged with real Git, in their own way")
    for name, what in said.items():
        on.print(Text.assemble("   ", (f"{name:<8}", "strong"), what))
    _heading(on, "3. Collected, without running anything of theirs")
    show_many(on, results)
    chosen = next(result for result in results if result.learner == read_aloud)
    _heading(on, f"4. What {read_aloud} gets to hear")
    show_one(on, chosen)
    _heading(on, "Try next")
    for command in (
        f"muddled grade {place}/suvi",
        f"muddled grade {place} --json",
        "muddled plant press-limit my-turn",
    ):
        on.print(Text(f"   {command}"))


def _heading(on: Console, text: str) -> None:
    on.print()
    on.print(Text(text, style="strong"))
    on.print()
