"""A grading in the terminal: did they get it, where not, why. Prose for one, a table for many."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from rich.console import Console
from rich.table import Table
from rich.text import Text

from muddled_orchard.commands.grade.class_findings import show_findings
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.course.class_entry import ClassEntry
from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.core.grading.summary import SAID
from muddled_orchard.show.terminal.characters import STYLES, printable, shortened, sign, speaks_unicode
from muddled_orchard.show.terminal.console import plain

MOST_ROWS = 1_000
"""How many submissions are shown, a row each; who has more reads a file."""


def show_many(on: Console, entries: Sequence[ClassEntry], findings: Sequence[ClassFinding] = ()) -> None:
    """A class: one line a submission, what doesn't fit together, then the class in one line. Of a very large
    one the first are shown that are not all right."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="faint")
    several = len({entry.exercise for entry in entries if entry.exercise}) > 1
    table.add_column("learner", no_wrap=True)
    if several:
        table.add_column("exercise", no_wrap=True)
    table.add_column("state", no_wrap=True)
    table.add_column("points", no_wrap=True, justify="right")
    table.add_column("%", no_wrap=True, justify="right")
    table.add_column("what went wrong", overflow="fold")
    shown = entries
    if len(entries) > MOST_ROWS:
        shown = [entry for entry in entries if entry.standing != "got it" or not entry.counts][:MOST_ROWS]
    for entry in shown:
        table.add_row(*_row(on, entry, several=several))
    on.print(table)
    if len(shown) < len(entries):
        more = f"... and {len(entries) - len(shown):,} more; --csv FILE has all of them."
        on.print(Text(more, style="faint"))
    on.print()
    show_findings(plain(on), findings)
    if findings:
        on.print()
    on.print(Text(_summary(entries)))


def _row(on: Console, entry: ClassEntry, *, several: bool) -> list[Text]:
    theirs = entry.uncounted != "not theirs"
    verdict = SAID[entry.standing][1] if theirs else "missed"
    style = STYLES[verdict]
    name = shortened(printable(entry.learner, on), max(12, on.width // 4))
    row = [Text(f"{sign(on, verdict)} {name}", style=style)]
    if several:
        row.append(Text(entry.exercise))
    row.append(Text(entry.state))
    if entry.state == "unreadable":
        return [*row, Text(""), Text(""), Text(printable(entry.reason, on), style=style)]
    if not theirs:
        text = f"not theirs: variant {printable(entry.variant, on)} was not handed out to them"
        return [*row, Text(""), Text("0"), Text(text, style="doubt")]
    row.append(Text(f"{entry.points:g} of {entry.possible:g}"))
    row.append(Text(f"{entry.percent:.0f}"))
    row.append(_what(on, entry))
    return row


def _what(on: Console, entry: ClassEntry) -> Text:
    """What went wrong, and that a person settled some of it."""
    text = _wrong(on, entry)
    if entry.settled:
        text.append("  (settled by a person)", style="faint")
    if entry.uncounted == "practice":
        text.append("  (practice)", style="faint")
    return text


def _wrong(on: Console, entry: ClassEntry) -> Text:
    if entry.state == "untouched":
        return Text("begun and given up" if entry.given_up else "nothing was attempted")
    kept = f" ({_kept(entry.kept)})" if entry.kept else ""
    text = Text(", ".join(id_ + (kept if id_ == "resolution" else "") for id_ in entry.wrong))
    if entry.needs_a_look:
        text.append("  ? needs a look" if entry.wrong else "? needs a look", style="doubt")
    return text if text.plain else Text("-" if not speaks_unicode(on) else "–", style="faint")


def _kept(words: Iterable[str]) -> str:
    """`kept ours`, `kept ours, unresolved`."""
    plain = [word for word in words if word not in ("unresolved", "gone")]
    others = [word for word in words if word in ("unresolved", "gone")]
    return ", ".join((["kept " + ", ".join(plain)] if plain else []) + others)


def _summary(entries: Sequence[ClassEntry]) -> str:
    read = [entry for entry in entries if entry.state != "unreadable" and entry.counts]
    others = Counter(entry.uncounted for entry in entries if not entry.counts)
    parts = [counted(len(entries), "submission")]
    stands = Counter(entry.standing for entry in read)
    parts += [f"{stands[word]} {word}" for word in SAID if stands[word] or word == "got it"]
    if len(read) + others.total() < len(entries):
        parts.append(f"{len(entries) - len(read) - others.total()} unreadable")
    parts += [f"{number} {why}" for why, number in others.items()]
    if read:
        from statistics import median  # a single one has none

        parts.append(f"median {median(entry.percent for entry in read):.0f} %")
    remembered = sum(entry.remembered for entry in entries)
    parts += [f"{remembered} not graded again, since they haven't changed"] if remembered else []
    return ", ".join(parts) + "."
