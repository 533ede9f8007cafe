"""The conflicts of a history in the terminal, and what came of making an exercise."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from datetime import UTC, datetime

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.commands.glean.found import Found
from muddled_orchard.commands.glean.making import Made
from muddled_orchard.core.base.phrases import command, counted, have, listed, paths
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.gleaning.conflicts_met import Gleaned
from muddled_orchard.core.gleaning.named_in import Named
from muddled_orchard.show.terminal.characters import printable, shortened, sign
from muddled_orchard.show.terminal.console import plain
from muddled_orchard.show.terminal.proved import show_item, show_proof

_MOST_NAMED = 12


def show_found(on: Console, repository: str, found: Found) -> None:
    """A line for each conflict, how many there were, and how to take one."""
    if found.rows:
        on.print(_table(on, found.rows))
        on.print()
    on.print(Text(_summary(found)))
    if found.reasons:
        said = "; ".join(
            f"{counted(number, 'time')} {printable(why, on)}" for why, number in found.reasons.items()
        )
        on.print(Text(f"No exercise can be made where a reason stands: {said}.", style="faint"))
    if found.under_way:
        words = command(
            "muddled", "glean", *paths([repository]), "--branches", "HEAD", found.under_way, "FILE"
        )
        on.print(Text(f"Something is under way there: {printable(words, on)}"), soft_wrap=True)
    best = next((row for row in found.rows if not row.problem), None)
    if best is not None:
        words = command(
            "muddled", "glean", *paths([repository]), "--take", short(best.redone.commit.id), "my.toml"
        )
        on.print(Text(f"Take one, as in: {printable(words, on)}"), soft_wrap=True)


def _table(on: Console, rows: Sequence[Gleaned]) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    table.add_column("commit", no_wrap=True)
    table.add_column("", no_wrap=True)
    table.add_column("when", no_wrap=True)
    table.add_column("conflicts", ratio=2)
    table.add_column("kept", ratio=1)
    table.add_column("lines", justify="right", no_wrap=True)
    table.add_column("difficulty", no_wrap=True)
    table.add_column("about", ratio=2)
    for row in rows:
        commit = row.redone.commit
        style = "faint" if row.problem else ""
        about = row.problem or commit.subject
        table.add_row(
            Text(short(commit.id), style=style),
            Text(row.redone.how, style=style),
            Text(f"{datetime.fromtimestamp(commit.committed, UTC):%Y-%m-%d}", style=style),
            Text(_conflicts(row), style=style),
            Text(", ".join(row.kept) + _more(row), style=style),
            Text(str(row.lines), style=style),
            Text(row.difficulty.level, style=style),
            Text(shortened(printable(about, on), 60), style="faint" if row.problem else ""),
        )
    return table


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


def show_made(on: Console, made: Made) -> None:
    """Where it is, what a person has to look at, what was proved, and what comes next."""
    about = f"of {made.what}: {counted(made.commits, 'commit')}, {counted(made.files, 'file')}"
    on.print(
        Text.assemble(("Wrote ", "good"), printable(str(made.file), on), (f", {printable(about, on)}", ""))
    )
    on.print(Text(f"The commits are by {printable(listed(made.cast), on)}."))
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
        on.print(Text(f"! {printable(doubt, on)}", style="doubt"))
    for problem in made.faults:
        print(problem, file=sys.stderr)
    if made.proof is not None:
        show_proof(plain(on), made.proof)
    if made.rehearsal is not None:
        acted, surprising = len(made.rehearsal.acted), len(made.rehearsal.surprising)
        if surprising:
            text = f"Rehearsed: {surprising} of {counted(acted, 'learner')} surprise: see muddled rehearse."
            show_item(plain(on), sign(on, "partly"), text, "doubt")
        else:
            text = f"Rehearsed: {counted(acted, 'learner')} acted out, and each is graded as it deserves."
            show_item(plain(on), sign(on, "met"), text, "good")
    then = command("muddled", "survey", *paths([str(made.file)]))
    on.print(Text(f"Edit title, brief and reasons, then: {printable(then, on)}"), soft_wrap=True)


def _told(named: Named) -> str:
    return f"{named.place}:{named.line} has {named.what}: {named.text}"
