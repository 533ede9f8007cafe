"""What was handed out, in the terminal: to how many, where it lies, and what comes next."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from muddled_orchard.commands.handout.handed_out import HandedOut
from muddled_orchard.core.base.phrases import command, counted, paths
from muddled_orchard.core.course.roster import shown_names
from muddled_orchard.core.course.sources import Pushed, without_secret
from muddled_orchard.show.terminal.characters import printable, shortened, sign
from muddled_orchard.show.terminal.failed import show_failed
from muddled_orchard.show.terminal.plain import Cell, Plain, show_item

_MOST_SHOWN = 8


def show_handed_out(on: Plain, done: HandedOut) -> None:
    """How much was handed out, and the first of it."""
    exercises = done.titles[0] if len(done.titles) == 1 else counted(len(done.titles), "exercise")
    text = f"{exercises}: {counted(len(done.learners), 'learner')}, {done.count} handed out"
    text += f", {done.ready} there already" if done.ready else ""
    show_item(on, sign(on, "met"), f"{text}.", "good")
    names = shown_names(done.learners)
    if done.shown:
        on.line()
        where = shortened(printable(str(done.out), on), on.width // 3)
        rows: list[Sequence[Cell]] = [
            [
                printable(hand_out.learner, on),
                printable(names[hand_out.learner], on),
                (hand_out.variant, "faint"),
                printable(hand_out.file, on),
            ]
            for hand_out in done.shown
        ]
        on.table(("learner", "name", "variant", f"file in {where}"), rows, whole=range(4))
        if done.count > len(done.shown):
            on.line(f"and {done.count - len(done.shown)} more", "faint")


def show_pushed(on: Plain, found: Sequence[Pushed], *, quiet: bool = False) -> None:
    """What came of pushing; with `quiet` only what failed is told."""
    if not found:
        return
    states = Counter(pushed.state for pushed in found)
    failed = [pushed for pushed in found if pushed.state == "failed"]
    if not quiet:
        on.line()
        text = f"{states['pushed']} pushed"
        text += f", {states['there']} on the server already, left as they are" if states["there"] else ""
        good = len(failed) < len(found)
        show_item(on, sign(on, "met" if good else "missed"), f"{text}.", "good" if good else "bad")
        _show_where(on, [pushed for pushed in found if pushed.state != "failed"])
    show_failed(on, "Not pushed", [(pushed.source, pushed.reason) for pushed in failed])


def _show_where(on: Plain, there: Sequence[Pushed]) -> None:
    """Each repository with where it is; of many the first."""
    rows = [
        [
            f"  {sign(on, 'met')}",
            printable(pushed.source.learner, on),
            printable(pushed.source.exercise, on),
            pushed.state,
            shortened(printable(without_secret(pushed.source.url), on), on.width // 2),
        ]
        for pushed in there[:_MOST_SHOWN]
    ]
    on.columns(rows)
    if len(there) > _MOST_SHOWN:
        on.line(f"  and {len(there) - _MOST_SHOWN} more", "faint")


def show_what_next(on: Plain, out: str, ledger: str, template: str | None, *, bare: bool) -> None:
    """What an instructor does next; `bare`: repositories for a server were made, `template` is where they
    were pushed to."""
    on.line()
    on.line(f"Written down in {printable(ledger, on)}: keep it, it alone knows who has which variant.")
    if bare and template is None:
        where = printable(out, on)
        on.line(f"Put {where}/EXERCISE/LEARNER.git on your Git server, each for its learner.")
        on.line("Where an archive lies beside it, that goes along: it has what no clone can give.")
        template = "https://SERVER/{id}/{exercise}.git"
    if template is None:
        on.line("When work comes back, put it all in one folder, under any names:")
        then = command("muddled", "grade", "FOLDER", "--ledger", *paths([ledger]))
    else:
        on.line("When learners have pushed, fetch what they have:")
        there = ("--url", without_secret(template), "--ledger", *paths([ledger]))
        then = command("muddled", "gather", "--out", "FOLDER", *there)
    on.unbroken((f"   {printable(then, on)}", ""))
