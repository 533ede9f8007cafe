"""The demo's account of itself: what was done, the class, one learner's feedback, what to try next."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from muddled_orchard.commands.grade.terminal import show_many
from muddled_orchard.core.base.phrases import command, paths
from muddled_orchard.core.course.class_entry import ClassEntry
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.core.course.one_result import result_blocks
from muddled_orchard.core.walkthrough.shown import typed
from muddled_orchard.core.walkthrough.walkthrough import Ran, Walkthrough
from muddled_orchard.show.document.terminal import show_blocks
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.show.terminal.plain import Plain

_SHOWN, _STEPS = 8, 2


def show_demo(
    on: Plain,
    folder: str,
    walkthrough: Walkthrough,
    said: Mapping[str, str],
    entries: Sequence[ClassEntry],
    results: Sequence[Collected],
    findings: Sequence[ClassFinding],
    read_aloud: str,
) -> None:
    """`walkthrough` is how the first exercise is demonstrated, `said` tells what each learner did,
    `read_aloud` names the one whose feedback is shown in full."""
    place = printable(folder, on)
    _heading(on, "1. Shown to the class first, step by step, with what Git really answers")
    for step in walkthrough.steps[:_STEPS]:
        on.line(f"   {step.number}  {printable(step.title, on)}", "strong")
        for part in step.parts:
            if isinstance(part, Ran):
                answer = f"   {printable(part.answer.splitlines()[0], on)}" if part.answer else ""
                on.cut((f"      $ {printable(typed(part).splitlines()[0], on)}", ""), (answer, "faint"))
    on.line(f"   ... and {len(walkthrough.steps) - _STEPS} more steps, on a page to step through:")
    on.unbroken((f"   {place}/walkthrough.html", "strong"))
    title = next(result.assessment.title for result in results if result.assessment.title)
    _heading(on, "2. Handed three exercises out to thirty learners, each with numbers of their own")
    on.line(f"   {place}/handed-out/press-limit/NAME.tar.gz; who has which is in {place}/orchard.db.")
    _heading(on, f'3. Each of them did "{title}" with real Git, in their own way, and handed in')
    for name, what in list(said.items())[:_SHOWN]:
        on.styled(("   ", ""), (f"{name:<8}", "strong"), (what, ""))
    on.line(f"   ... and {len(said) - _SHOWN} more, as archives, folders and a bundle")
    _heading(on, "4. Graded, without running anything of theirs")
    show_many(on, entries, findings)
    chosen = next(result for result in results if result.learner == read_aloud)
    _heading(on, f"5. What {read_aloud} gets to hear")
    show_blocks(on, result_blocks(chosen))
    _heading(on, "6. After all three exercises: what the class got wrong, and feedback for each")
    for page in ("class.html", f"feedback/{read_aloud}/feedback.html"):
        on.unbroken((f"   {place}/{page}", "strong"))
    _heading(on, "Try next")
    (top,) = paths([folder])
    ledger = f"{top}/orchard.db"
    for words in (
        ("grade", f"{top}/handed-in/suvi.tar.gz"),
        ("grade", f"{top}/handed-in", "--ledger", ledger, "--csv", "grades.csv"),
        ("-C", top, "tally"),
        ("-C", top, "settle", "--next"),
        ("walkthrough", "press-limit"),
        ("plant", "press-limit", "my-turn"),
    ):
        on.unbroken((f"   {printable(command('muddled', *words), on)}", ""))


def _heading(on: Plain, text: str) -> None:
    on.line()
    on.line(text, "strong")
    on.line()
