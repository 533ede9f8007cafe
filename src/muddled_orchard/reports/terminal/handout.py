"""What was handed out, in the terminal: to how many, where it lies, and what comes next."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import command, counted, paths
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.reports.terminal.characters import printable, shortened, sign


def show_handed_out(
    on: Console,
    titles: Sequence[str],
    learners: Sequence[Learner],
    made: Sequence[HandOut],
    count: int,
    ready: int,
    out: str,
    ledger: str,
) -> None:
    """`made` are the first of the new ones, `count` is how many these are, `ready` how many were there
    before."""
    exercises = titles[0] if len(titles) == 1 else counted(len(titles), "exercise")
    text = f"{sign(on, 'met')} {exercises}: {counted(len(learners), 'learner')}, {count} handed out"
    text += f", {ready} there already" if ready else ""
    on.print(Text(f"{printable(text, on)}.", style="good"))
    names = {learner.id: learner.name for learner in learners}
    if made:
        on.print()
        table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
        for name in ("learner", "name", "variant", f"file in {shortened(printable(out, on), on.width // 3)}"):
            table.add_column(name, no_wrap=True)
        for hand_out in made:
            name, file = printable(names[hand_out.learner], on), printable(hand_out.file, on)
            table.add_row(printable(hand_out.learner, on), name, Text(hand_out.variant, style="faint"), file)
        on.print(table)
        if count > len(made):
            on.print(Text(f"and {count - len(made)} more", style="faint"))
    on.print()
    on.print(Text(f"Written down in {printable(ledger, on)}: keep it, it alone knows who has which variant."))
    on.print(Text("When work comes back, put it all in one folder, under any names:"))
    then = command("muddled", "grade", "FOLDER", "--ledger", *paths([ledger]))
    on.print(Text(f"   {printable(then, on)}"), soft_wrap=True)
