"""The conflicts of a history in the terminal, and what came of making an exercise."""

from __future__ import annotations

import sys
from datetime import UTC, datetime

from muddled_orchard.commands.glean.found import Found
from muddled_orchard.commands.glean.making import Made
from muddled_orchard.core.base.phrases import command, counted, have, listed, paths
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.gleaning.conflicts_met import Gleaned
from muddled_orchard.core.gleaning.named_in import Named
from muddled_orchard.show.terminal.characters import printable, shortened, sign
from muddled_orchard.show.terminal.plain import Plain, Styled, show_item
from muddled_orchard.show.terminal.proved import show_proof

_MOST_NAMED = 12


def show_found(on: Plain, repository: str, found: Found) -> None:
    """A line for each conflict, how many there were, and how to take one."""
    if found.rows:
        rows = (_row(on, row) for row in found.rows)
        on.table(_HEADINGS, rows, whole=(0, 1, 2, 5, 6), right=(5,))
        on.line()
    on.line(_summary(found))
    if found.reasons:
        said = "; ".join(
            f"{counted(number, 'time')} {printable(why, on)}" for why, number in found.reasons.items()
        )
        on.line(f"No exercise can be made where a reason stands: {said}.", "faint")
    if found.under_way:
        words = command(
            "muddled", "glean", *paths([repository]), "--branches", "HEAD", found.under_way, "FILE"
        )
        on.unbroken((f"Something is under way there: {printable(words, on)}", ""))
    best = next((row for row in found.rows if not row.problem), None)
    if best is not None:
        words = command(
            "muddled", "glean", *paths([repository]), "--take", short(best.redone.commit.id), "my.toml"
        )
        on.unbroken((f"Take one, as in: {printable(words, on)}", ""))


_HEADINGS = ("commit", "", "when", "conflicts", "kept", "lines", "difficulty", "about")


def _row(on: Plain, row: Gleaned) -> list[Styled]:
    commit = row.redone.commit
    cells = (
        short(commit.id),
        row.redone.how,
        f"{datetime.fromtimestamp(commit.committed, UTC):%Y-%m-%d}",
        _conflicts(row),
        ", ".join(row.kept) + _more(row),
        str(row.lines),
        row.difficulty.level,
        shortened(printable(row.problem or commit.subject, on), 60),
    )
    return [(cell, "faint" if row.problem else "") for cell in cells]


def _conflicts(row: Gleaned) -> str:
    files = len({met.path for met in row.conflicts})
    where = row.conflicts[0].path if files == 1 else counted(files, "file")
    hunks = f", {counted(row.hunks, 'hunk')}" if row.hunks else ""
    kinds = "" if row.kinds == ("contents",) else f" ({', '.join(row.kinds)})"
    return f"{where}{hunks}{kinds}"


def _more(row: Gleaned) -> str:
    """What was changed beyond the hunks."""
    changed = [f"{counted(row.outside, 'line')} beyond"] if row.outside else []
    changed += [f"{counted(len(row.elsewhere), 'file')} besides"] if row.elsewhere else []
    return f" (+ {', '.join(changed)})" if changed else ""


def _summary(found: Found) -> str:
    parts = [f"{counted(found.asked, 'operation')} asked again, {found.conflicted:,} conflicted"]
    if found.wanted != found.conflicted:
        parts.append(f"{found.wanted:,} of them as wanted")
    if len(found.rows) < found.wanted:
        parts.append(f"the {len(found.rows)} most instructive are listed")
    if found.octopus:
        parts.append(f"{counted(found.octopus, 'merge')} of several branches at once left out")
    if found.failed:
        parts.append(f"{found.failed:,} could not be asked")
    return f"{'; '.join(parts)}."


def show_made(on: Plain, made: Made) -> None:
    """Where it is, what a person has to look at, what was proved, and what comes next."""
    about = f"of {made.what}: {counted(made.commits, 'commit')}, {counted(made.files, 'file')}"
    on.styled(("Wrote ", "good"), (printable(str(made.file), on), ""), (f", {printable(about, on)}", ""))
    on.line(f"The commits are by {printable(listed(made.cast), on)}.")
    doubts = []
    if made.one_side:
        doubts.append(f"All of {made.one_side} was kept, so nothing need be read: it makes a poor exercise.")
    if made.kept:
        doubts.append(f"Whatever the history has, this stays as Git merges it: {listed(made.kept)}.")
    if made.licences:
        doubts.append(f"Its licence is said in {listed(made.licences)}: may it be handed on?")
    doubts += [_told(named) for named in made.named[:_MOST_NAMED]]
    if len(made.named) > _MOST_NAMED:
        doubts.append(f"and {len(made.named) - _MOST_NAMED} more places of that kind")
    if made.open_:
        doubts.append(
            f"{counted(made.open_, 'conflict')} {have(made.open_)} no answer yet; "
            "the file ends with beginnings."
        )
    for doubt in doubts:
        show_item(on, "!", doubt, "doubt")
    for problem in made.faults:
        print(problem, file=sys.stderr)
    if made.proof is not None:
        show_proof(on, made.proof)
    if made.rehearsal is not None:
        acted, surprising = len(made.rehearsal.acted), len(made.rehearsal.surprising)
        if surprising:
            text = f"Rehearsed: {surprising} of {counted(acted, 'learner')} surprise: see muddled rehearse."
            show_item(on, sign(on, "partly"), text, "doubt")
        else:
            text = f"Rehearsed: {counted(acted, 'learner')} acted out, and each is graded as it deserves."
            show_item(on, sign(on, "met"), text, "good")
    then = command("muddled", "survey", *paths([str(made.file)]))
    on.unbroken((f"Edit title, brief and reasons, then: {printable(then, on)}", ""))


def _told(named: Named) -> str:
    return f"{named.place}:{named.line} has {named.what}: {named.text}"
