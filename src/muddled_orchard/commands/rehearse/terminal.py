"""A rehearsal in the terminal: surprises first, then who loses what, then what the scenario tells apart."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Console
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.rehearsal import Acted, Rehearsal
from muddled_orchard.show.terminal.characters import STYLES, printable, sign

_SHORT = 6


def show_rehearsal(on: Console, rehearsal: Rehearsal) -> None:
    """One scenario: a row for each behaviour, a column for each criterion."""
    title = printable(rehearsal.title, on)
    word = "variant" if len(rehearsal.variants) == 1 else "variants"
    about = f"  ({rehearsal.exercise}, {word} {printable(listed(rehearsal.variants), on)})"
    on.print(Text.assemble((title, "strong"), (about, "faint")))
    on.print()
    show_surprises(on, [rehearsal])
    on.print()
    on.print(_matrix(on, rehearsal))
    on.print()
    signs = (f"{sign(on, word)} {word}" for word in ("met", "partly", "missed", "skipped"))
    on.print(Text("   ".join(signs), style="faint"))
    on.print()
    _what_it_tells(on, rehearsal)


def show_surprises(on: Console, rehearsals: Sequence[Rehearsal]) -> None:
    """The verdicts that were not to be expected, each with its repository; or that there are none."""
    acted = sum(len(rehearsal.acted) for rehearsal in rehearsals)
    found = [(rehearsal, one) for rehearsal in rehearsals for one in rehearsal.surprising]
    if not found:
        text = f"{sign(on, 'met')} {acted} learners acted out; every verdict is the one to be expected."
        on.print(Text(text, style="good"))
        return
    head = f"{sign(on, 'missed')} {counted(len(found), 'surprise')} among {acted} learners acted out:"
    on.print(Text(head, style="bad"))
    causes: dict[tuple[str, str], list[Acted]] = {}
    for rehearsal, one in found:
        for surprise in one.surprises:
            causes.setdefault((rehearsal.exercise, surprise), []).append(one)
    for (exercise, surprise), those in causes.items():
        _cause(on, f"{exercise}: {surprise}" if len(rehearsals) > 1 else surprise, those)


def _cause(on: Console, cause: str, acted: Sequence[Acted]) -> None:
    """One surprise, with everybody who met it."""
    on.print(Padding(Text(printable(cause, on), style="strong"), (0, 2), expand=False))
    first = acted[0]
    variants = {act.variant for act in acted}
    where = f", variant {first.variant}" if len(variants) == 1 and first.variant != PLAIN_VARIANT else ""
    if len(acted) == 1:
        who = f"{first.behaviour} ({first.said}){where}"
    else:
        who = f"{counted(len(acted), 'learner')}{where}: {', '.join(act.behaviour for act in acted)}"
    on.print(Padding(Text(printable(who, on)), (0, 4), expand=False))
    if first.repository:
        kept = f"to look at: {printable(first.repository, on)}"
        on.print(Padding(Text(kept, style="faint", no_wrap=True, overflow="fold"), (0, 4), expand=False))


def _matrix(on: Console, rehearsal: Rehearsal) -> Table:
    wide = on.width >= 32 + sum(len(id_) + 2 for id_ in rehearsal.assessed)
    table = Table(box=None, pad_edge=False, padding=(0, 2 if wide else 1, 0, 0), header_style="faint")
    table.add_column("learner", overflow="fold")
    table.add_column("%", justify="right", no_wrap=True)
    for id_ in rehearsal.assessed:
        table.add_column(id_ if wide else id_[:_SHORT], no_wrap=True, justify="center")
    for behaved in sorted(rehearsal.acted, key=lambda behaved: not behaved.surprises):
        table.add_row(*_row(on, behaved, rehearsal.assessed))
    return table


def _row(on: Console, acted: Acted, assessed: Sequence[str]) -> list[Text]:
    mark = f"{sign(on, 'unreadable')} " if acted.surprises else ""
    row = [Text(mark + printable(acted.behaviour, on), style="bad" if acted.surprises else "default")]
    row.append(Text(f"{acted.assessment.percent:.0f}"))
    verdicts = {criterion.id: criterion.outcome.verdict for criterion in acted.assessment.criteria}
    for id_ in assessed:
        verdict = verdicts.get(id_, "unreadable")
        row.append(Text(sign(on, verdict), style=STYLES[verdict]))
    return row


def _what_it_tells(on: Console, rehearsal: Rehearsal) -> None:
    history_shape = [id_ for id_ in rehearsal.assessed if id_ not in rehearsal.blind]
    on.print(Text(f"{sign(on, 'met')} Tell right from wrong here: {', '.join(history_shape)}", style="good"))
    if rehearsal.blind:
        text = f"{sign(on, 'partly')} Nobody who does something loses: {', '.join(rehearsal.blind)}"
        on.print(Text(text, style="doubt"))
    if rehearsal.undistinguished:
        places = listed(rehearsal.undistinguished, most=6)
        text = f"{sign(on, 'partly')} Whichever side is kept, the verdict is the same: {places}"
        on.print(Text(printable(text, on), style="doubt"))
    elif rehearsal.hunks:
        on.print(Text(f"{sign(on, 'met')} Every conflict tells them apart.", style="good"))


def show_rehearsals(on: Console, rehearsals: Sequence[Rehearsal]) -> None:
    """Several scenarios: the surprises, then a line for each."""
    show_surprises(on, rehearsals)
    on.print()
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("scenario", no_wrap=True)
    table.add_column("learners", justify="right", no_wrap=True)
    table.add_column("surprises", justify="right", no_wrap=True)
    table.add_column("can't tell right from wrong", overflow="fold")
    for rehearsal in rehearsals:
        verdict = "missed" if rehearsal.surprising else "met"
        blind = ", ".join((*rehearsal.blind, *rehearsal.undistinguished))
        table.add_row(
            Text(f"{sign(on, verdict)} {rehearsal.exercise}", style=STYLES[verdict]),
            Text(str(len(rehearsal.acted))),
            Text(str(len(rehearsal.surprising))),
            Text(printable(blind, on) or sign(on, "skipped"), style="default" if blind else "faint"),
        )
    on.print(table)
