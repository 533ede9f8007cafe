"""A rehearsal in the terminal: surprises first, then who loses what, then what the scenario tells apart."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.rehearsal import Acted, Rehearsal
from muddled_orchard.show.terminal.characters import STYLES, printable, sign
from muddled_orchard.show.terminal.plain import Cell, Plain, show_item

_SHORT = 6


def show_rehearsal(on: Plain, rehearsal: Rehearsal) -> None:
    """One scenario: a row for each behaviour, a column for each criterion."""
    title = printable(rehearsal.title, on)
    word = "variant" if len(rehearsal.variants) == 1 else "variants"
    about = f"  ({rehearsal.exercise}, {word} {printable(listed(rehearsal.variants), on)})"
    on.styled((title, "strong"), (about, "faint"))
    on.line()
    show_surprises(on, [rehearsal])
    on.line()
    _matrix(on, rehearsal)
    on.line()
    signs = (f"{sign(on, word)} {word}" for word in ("met", "partly", "missed", "skipped"))
    on.line("   ".join(signs), "faint")
    on.line()
    _what_it_tells(on, rehearsal)


def show_surprises(on: Plain, rehearsals: Sequence[Rehearsal]) -> None:
    """The verdicts that were not to be expected, each with its repository; or that there are none."""
    acted = sum(len(rehearsal.acted) for rehearsal in rehearsals)
    found = [(rehearsal, one) for rehearsal in rehearsals for one in rehearsal.surprising]
    if not found:
        text = f"{acted} learners acted out; every verdict is the one to be expected."
        show_item(on, sign(on, "met"), text, "good")
        return
    head = f"{counted(len(found), 'surprise')} among {acted} learners acted out:"
    show_item(on, sign(on, "missed"), head, "bad")
    causes: dict[tuple[str, str], list[Acted]] = {}
    for rehearsal, one in found:
        for surprise in one.surprises:
            causes.setdefault((rehearsal.exercise, surprise), []).append(one)
    for (exercise, surprise), those in causes.items():
        _cause(on, f"{exercise}: {surprise}" if len(rehearsals) > 1 else surprise, those)


def _cause(on: Plain, cause: str, acted: Sequence[Acted]) -> None:
    """One surprise, with everybody who met it."""
    on.line(f"  {printable(cause, on)}", "strong")
    first = acted[0]
    variants = {act.variant for act in acted}
    where = f", variant {first.variant}" if len(variants) == 1 and first.variant != PLAIN_VARIANT else ""
    if len(acted) == 1:
        who = f"{first.behaviour} ({first.said}){where}"
    else:
        who = f"{counted(len(acted), 'learner')}{where}: {', '.join(act.behaviour for act in acted)}"
    on.line(f"    {printable(who, on)}")
    if first.repository:
        kept = f"to look at: {printable(first.repository, on)}"
        on.unbroken((f"    {kept}", "faint"))


def _matrix(on: Plain, rehearsal: Rehearsal) -> None:
    wide = on.width >= 32 + sum(len(id_) + 2 for id_ in rehearsal.assessed)
    heads = [id_ if wide else id_[:_SHORT] for id_ in rehearsal.assessed]
    rows = []
    for acted in sorted(rehearsal.acted, key=lambda acted: not acted.surprises):
        mark = f"{sign(on, 'unreadable')} " if acted.surprises else ""
        verdicts = {criterion.id: criterion.outcome.verdict for criterion in acted.assessment.criteria}
        row: list[Cell] = [(mark + printable(acted.behaviour, on), "bad" if acted.surprises else "")]
        row.append(f"{acted.assessment.percent:.0f}")
        for id_, head in zip(rehearsal.assessed, heads, strict=True):
            verdict = verdicts.get(id_, "unreadable")
            row.append((f"{sign(on, verdict):^{len(head)}}", STYLES[verdict]))
        rows.append(row)
    whole = range(1, len(heads) + 2)
    on.table(("learner", "%", *heads), rows, whole, right=(1,), gap="  " if wide else " ")


def _what_it_tells(on: Plain, rehearsal: Rehearsal) -> None:
    history_shape = [id_ for id_ in rehearsal.assessed if id_ not in rehearsal.blind]
    show_item(on, sign(on, "met"), f"Tell right from wrong here: {', '.join(history_shape)}", "good")
    if rehearsal.blind:
        text = f"Nobody who does something loses: {', '.join(rehearsal.blind)}"
        show_item(on, sign(on, "partly"), text, "doubt")
    if rehearsal.undistinguished:
        places = listed(rehearsal.undistinguished, most=6)
        text = f"Whichever side is kept, the verdict is the same: {places}"
        show_item(on, sign(on, "partly"), text, "doubt")
    elif rehearsal.hunks:
        show_item(on, sign(on, "met"), "Every conflict tells them apart.", "good")


def show_rehearsals(on: Plain, rehearsals: Sequence[Rehearsal]) -> None:
    """Several scenarios: the surprises, then a line for each."""
    show_surprises(on, rehearsals)
    on.line()
    rows: list[Sequence[Cell]] = []
    for rehearsal in rehearsals:
        verdict = "missed" if rehearsal.surprising else "met"
        blind = ", ".join((*rehearsal.blind, *rehearsal.undistinguished))
        rows.append(
            (
                (f"{sign(on, verdict)} {rehearsal.exercise}", STYLES[verdict]),
                str(len(rehearsal.acted)),
                str(len(rehearsal.surprising)),
                (printable(blind, on) or sign(on, "skipped"), "" if blind else "faint"),
            )
        )
    headings = ("scenario", "learners", "surprises", "can't tell right from wrong")
    on.table(headings, rows, whole=(0, 1, 2), right=(1, 2))
