"""A grading in the terminal: did they get it, where not, why. Prose for one, a table for many."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from muddled_orchard.commands.grade.class_findings import show_findings
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.course.class_entry import ClassEntry
from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.core.grading.summary import SAID
from muddled_orchard.show.terminal.characters import STYLES, printable, shortened, sign, speaks_unicode
from muddled_orchard.show.terminal.plain import Cell, Plain, Styled

MOST_ROWS = 1_000
"""How many submissions are shown, a row each; who has more reads a file."""


def show_many(on: Plain, entries: Sequence[ClassEntry], findings: Sequence[ClassFinding] = ()) -> None:
    """A class: one line a submission, what doesn't fit together, then the class in one line. Of a very large
    one the first are shown that are not all right."""
    several = len({entry.exercise for entry in entries if entry.exercise}) > 1
    shown = entries
    if len(entries) > MOST_ROWS:
        shown = [entry for entry in entries if entry.standing != "got it" or not entry.counts][:MOST_ROWS]
    headings = ["learner", *(["exercise"] if several else []), "state", "points", "%", "what went wrong"]
    last = len(headings) - 1
    rows = (_row(on, entry, several=several) for entry in shown)
    on.table(headings, rows, whole=range(last), right=(last - 2, last - 1))
    if len(shown) < len(entries):
        on.line(f"... and {len(entries) - len(shown):,} more; --csv FILE has all of them.", "faint")
    on.line()
    show_findings(on, findings)
    if findings:
        on.line()
    on.line(_summary(entries))


def _row(on: Plain, entry: ClassEntry, *, several: bool) -> list[Cell]:
    theirs = entry.uncounted != "not theirs"
    verdict = SAID[entry.standing][1] if theirs else "missed"
    style = STYLES[verdict]
    name = shortened(printable(entry.learner, on), max(12, on.width // 4))
    row: list[Cell] = [(f"{sign(on, verdict)} {name}", style)]
    if several:
        row.append(entry.exercise)
    row.append(entry.state)
    if entry.state == "unreadable":
        return [*row, "", "", (printable(entry.reason, on), style)]
    if not theirs:
        text = f"not theirs: variant {printable(entry.variant, on)} was not handed out to them"
        return [*row, "", "0", (text, "doubt")]
    points = f"{entry.points:g} of {entry.possible:g}"
    return [*row, points, f"{entry.percent:.0f}", [*_what(on, entry)]]


def _what(on: Plain, entry: ClassEntry) -> Iterator[Styled]:
    """What went wrong, and that a person settled some of it."""
    yield from _wrong(on, entry)
    if entry.settled:
        yield "  (settled by a person)", "faint"
    if entry.uncounted == "practice":
        yield "  (practice)", "faint"


def _wrong(on: Plain, entry: ClassEntry) -> Iterator[Styled]:
    if entry.state == "untouched":
        yield "begun and given up" if entry.given_up else "nothing was attempted", ""
        return
    kept = f" ({_kept(entry.kept)})" if entry.kept else ""
    if entry.wrong:
        yield ", ".join(id_ + (kept if id_ == "resolution" else "") for id_ in entry.wrong), ""
    if entry.needs_a_look:
        yield "  ? needs a look" if entry.wrong else "? needs a look", "doubt"
    elif not entry.wrong:
        yield "–" if speaks_unicode(on) else "-", "faint"


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
