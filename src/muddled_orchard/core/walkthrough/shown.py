"""The parts of a step as lines, for whatever shows them: what is long is shown where it matters."""

from __future__ import annotations

import difflib
import shlex
from collections.abc import Collection, Iterable, Iterator, Sequence
from itertools import groupby

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.document import Block, Change, Contents, Line, Paragraph, Session, Window
from muddled_orchard.core.git.lines import bare, is_binary, lines_of
from muddled_orchard.core.git.trees import EXECUTABLE, LINK
from muddled_orchard.core.merging.differences import ChangedLine, changed_lines
from muddled_orchard.core.walkthrough.walkthrough import (
    COLLEAGUE,
    WORK,
    Edited,
    Marked,
    Part,
    Ran,
    Said,
    Viewed,
    WalkthroughStep,
)

_AROUND = 3
_WHOLE = 24
_MOST_CHANGED = 60


def typed(ran: Ran) -> str:
    """The command as a person types it."""
    words = [_quoted(word) for word in ran.words]
    before = [f"{name}={shlex.quote(value)}" for name, value in ran.variables.items()]
    command = " ".join((*before, *words))
    return f"{ran.keeps}=$({command})" if ran.keeps else command


def _quoted(word: str) -> str:
    return f'"{word}"' if word.startswith("$") and word[1:].isidentifier() else shlex.quote(word)


_MOST_EDITS, _MOST_ANSWERED = 6, 60


def shown_parts(step: WalkthroughStep) -> Iterator[Part]:
    """The parts of a step, of many edits in a row the first ones."""
    edits = 0
    for number, part in enumerate(step.parts):
        edits = edits + 1 if isinstance(part, Edited) else 0
        if edits <= _MOST_EDITS:
            yield part
        elif number + 1 == len(step.parts) or not isinstance(step.parts[number + 1], Edited):
            yield Said(f"And so on: {counted(edits - _MOST_EDITS, 'more file')}.", folder=part.folder)


def shown_blocks(step: WalkthroughStep) -> Iterator[Block]:
    """The parts of a step as blocks of a document; what happens in somebody else's clone is a window of its
    own."""
    for there, parts in groupby(shown_parts(step), _is_there):
        if there:
            several = list(parts)
            who = next((part.who.name for part in several if isinstance(part, Ran) and part.who), "")
            title = f"{who}'s window" if who else "In the other clone"
            yield Window(title, tuple(_blocks(several)))
        else:
            yield from _blocks(parts)


def _is_there(part: Part) -> bool:
    """Whether it happens in somebody else's clone."""
    return part.folder == COLLEAGUE


def _done(part: Ran | Edited) -> Session | Change:
    if isinstance(part, Ran):
        lines = (Line(_kind(line) if _shows_diff(part) else "", line) for line in answered(part))
        return Session(typed(part), tuple(lines), _place_told(part))
    changed = (Line(line.sign, line.text) for line in edit_lines(part))
    return Change(edit_told(part), tuple(changed), new=part.before is None)


def _blocks(parts: Iterable[Part]) -> Iterator[Paragraph | Session | Contents | Change]:
    for part in parts:
        match part:
            case Said(text, wrong):
                yield Paragraph(text, "missed" if wrong else "")
            case Ran() | Edited():
                yield _done(part)
            case Viewed(path):
                yield Contents(path, tuple(viewed_lines(part)))
            case Marked(path):
                yield Contents(path, tuple(marked_lines(part)))


def _kind(line: str) -> str:
    """What a line of a diff is: those that name its files are none of it."""
    return line[:1] if line[:1] in ("+", "-", "@") and not line.startswith(("+++", "---")) else ""


def answered(ran: Ran) -> list[str]:
    """The lines that Git answered; of a long answer the first and the last ones."""
    lines = ran.answer.split("\n") if ran.answer else []
    if len(lines) <= _MOST_ANSWERED:
        return lines
    half = _MOST_ANSWERED // 2
    return [*lines[:half], f"... {counted(len(lines) - 2 * half, 'more line')}", *lines[-half:]]


def _shows_diff(ran: Ran) -> bool:
    """Whether lines of its answer begin with `+` and `-` for what came and what went."""
    return ran.words[1] in ("diff", "am") or "-p" in ran.words


def _place_told(ran: Ran) -> str:
    """Where a command is run that is not run in the repository itself; nothing where it is."""
    return {WORK: "", COLLEAGUE: "", ".": "in the folder above"}.get(ran.folder, ran.folder)


def edit_told(edit: Edited) -> str:
    """What is done to a file: `Edit press.toml`."""
    place = "" if edit.folder in (WORK, COLLEAGUE) else " (above)"
    if edit.after is None:
        return f"Remove {edit.path}{place}"
    if edit.mode == LINK:
        return f"Make {edit.path} a link to {edit.after.decode('utf-8', 'replace')}{place}"
    verb = "Make" if edit.before is None else "Edit"
    how = ", executable" if edit.mode == EXECUTABLE else ""
    if is_binary(edit.after):
        return f"{verb} {edit.path}{place}: {counted(len(edit.after), 'byte')} that are no text{how}"
    if edit.before == edit.after:
        return f"{edit.path} stays as it is{how}"
    return f"{verb} {edit.path}{place}{how}"


def edit_lines(edit: Edited) -> tuple[ChangedLine, ...]:
    """The changed lines of an edit; of a long one the first ones."""
    if edit.mode == LINK or edit.after is None:
        return ()
    changed = changed_lines(edit.before, edit.after)
    if edit.before is None:
        changed = tuple(line for line in changed if line.sign != "@")
    if len(changed) <= _MOST_CHANGED:
        return changed
    left = len(changed) - _MOST_CHANGED
    return (*changed[:_MOST_CHANGED], ChangedLine("@", f"... {counted(left, 'more line')}"))


def differing(content: bytes, other: bytes) -> frozenset[int]:
    """The numbers of the lines of a text that another one has not."""
    mine, theirs = ([bare(line) for line in lines_of(data)] for data in (content, other))
    codes = difflib.SequenceMatcher(None, theirs, mine, autojunk=False).get_opcodes()
    return frozenset(
        number + 1 for tag, _, _, start, end in codes if tag != "equal" for number in range(start, end)
    )


def viewed_lines(viewed: Viewed) -> Iterator[Line]:
    """The lines of a file: all of a short one, else those that are to be looked at."""
    if is_binary(viewed.content):
        yield Line("left out", f"({counted(len(viewed.content), 'byte')} that are no text)")
        return
    lines = [bare(line) for line in lines_of(viewed.content.decode("utf-8", "replace"))]
    shown = [Line("marked" if n in viewed.marks else "", line) for n, line in enumerate(lines, 1)]
    near = {n - 1 for n in viewed.marks} or set(range(_WHOLE - _AROUND))
    yield from _near(shown, range(len(lines)) if len(lines) <= _WHOLE else near)


def marked_lines(marked: Marked) -> Iterator[Line]:
    """The lines of a conflicted file, those that are clean as far as they stand near a conflict."""
    shown = [Line("" if line.kind == "clean" else line.kind, line.text, line.remark) for line in marked.lines]
    near = {number for number, line in enumerate(marked.lines) if line.kind != "clean"}
    yield from _near(shown, range(len(shown)) if len(shown) <= _WHOLE else near)


def _near(lines: Sequence[Line], near: Collection[int]) -> Iterator[Line]:
    left_out = 0
    places = {place for at in near for place in range(at - _AROUND, at + _AROUND + 1)}
    for number, line in enumerate(lines):
        if number not in places:
            left_out += 1
            continue
        if left_out:
            yield Line("left out", f"... {counted(left_out, 'line')}")
            left_out = 0
        yield line
    if left_out:
        yield Line("left out", f"... {counted(left_out, 'line')}")
