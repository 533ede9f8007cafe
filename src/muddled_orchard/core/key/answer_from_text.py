"""The shortest answer that makes a merge come out as a text: words where a side was kept, lines where they
were written, and edits outside the hunks."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Sequence

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.scenario import AnswerChange, KeepHunk
from muddled_orchard.core.git.lines import Lines
from muddled_orchard.core.key.accepted import HunkChoice, by_text
from muddled_orchard.core.key.outside_edits import edited
from muddled_orchard.core.merging.conflict import MergedText
from muddled_orchard.core.merging.keep import KEEP

_MOST_EDITS = 6
"""With more edits than these the whole text is easier to read."""


def kept_and_changed(
    merged: MergedText, lines: Lines
) -> tuple[tuple[str | KeepHunk, ...], tuple[AnswerChange, ...]] | None:
    """What `keep` and `change` say of a resolved text, or None where they don't say it more briefly than the
    text itself."""
    way = by_text(merged, lines, "exact")
    if way.text != lines:
        return None
    entries = tuple(map(_entry, way.choices))
    changes = changes_between(merged.clean, way.clean)
    return None if changes is None else (entries, changes)


def _entry(choices: Sequence[HunkChoice]) -> str | KeepHunk:
    (choice,) = choices
    return choice.word if choice.word in KEEP else KeepHunk(text="".join(choice.text))


def changes_between(before: Sequence[Lines], after: Sequence[Lines]) -> tuple[AnswerChange, ...] | None:
    """The edits that make stretches of lines into others; None where some of them have no place that occurs
    once, or where they are many."""
    changes: list[AnswerChange] = []
    for old, new in zip(before, after, strict=True):
        matcher = difflib.SequenceMatcher(None, old, new, autojunk=False)
        for tag, start, stop, at, end in matcher.get_opcodes():
            if tag != "equal":
                changes.extend(_edit(old, new[at:end], start, stop))
    problems: list[Problem] = []
    made, _ = edited(before, changes, (), problems)
    if problems or len(changes) > _MOST_EDITS or made != tuple(after):
        return None
    return tuple(changes)


def _edit(old: Lines, put: Lines, start: int, stop: int) -> Iterator[AnswerChange]:
    gone, new = "".join(old[start:stop]), "".join(put)
    if gone:
        end = next((end for end in ("\r\n", "\n") if gone.endswith(end) and new.endswith(end)), "")
        yield AnswerChange(find=gone.removesuffix(end), put=new.removesuffix(end))
    elif start:
        yield AnswerChange(after=old[start - 1].rstrip("\r\n"), put=new.removesuffix("\n"))
    elif old:
        yield AnswerChange(before=old[0].rstrip("\r\n"), put=new.removesuffix("\n"))
