"""Edits that an answer asks for outside the hunks: in what Git merges by itself, with text as it is written
or any text that holds rules."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.scenario import AnswerChange
from muddled_orchard.core.exercise.text_rules import TextRules
from muddled_orchard.core.git.lines import Lines, bare, lines_of


class FreeStretch(Struct, frozen=True, kw_only=True):
    """Lines of a clean stretch that may read otherwise: lines `start` to `stop` (from 0) of the stretch with
    this number. Any lines that hold `rules` may stand there; `merged` are those that Git merges."""

    stretch: int
    start: int
    stop: int
    rules: TextRules
    merged: Lines


class _Free(Struct, frozen=True):
    """Lines with rules, that no later edit looks into."""

    lines: Lines
    rules: TextRules
    merged: Lines


_Part = Lines | _Free


def edited(
    stretches: Sequence[Lines], changes: Sequence[AnswerChange], key: KeyPath, problems: list[Problem]
) -> tuple[tuple[Lines, ...], tuple[FreeStretch, ...]]:
    """The clean stretches of a merge after edits, in order, and the lines in them that may read otherwise.

    An edit whose place does not occur exactly once outside the hunks is added to `problems`, and left out;
    `key` is the place of the edits in the scenario file.
    """
    pieces: list[list[_Part]] = [[stretch] for stretch in stretches]
    for number, change in enumerate(changes):
        word = next(word for word in ("find", "after", "before") if getattr(change, word) is not None)
        found = [
            (row, place, where)
            for row, parts in enumerate(pieces)
            for place, part in enumerate(parts)
            if not isinstance(part, _Free)
            for where in _places(part, word, getattr(change, word))
        ]
        if len(found) != 1:
            times = "does not occur" if not found else f"occurs {len(found)} times"
            whole = "" if word == "find" else " as a whole line"
            hint = (
                "Look at what Git merges there; what lies in a hunk is for keep."
                if not found
                else "Take in more of the text around it, so that it is unique."
            )
            what = f"{word} {times}{whole} outside the hunks, not once"
            problems.append(Problem(what, hint, (*key, number, word)))
            continue
        row, place, where = found[0]
        part = pieces[row][place]
        if not isinstance(part, _Free):
            pieces[row][place : place + 1] = _split(part, word, where, change)
    return _joined(pieces)


def _places(lines: Lines, word: str, wanted: str) -> list[int]:
    """Where a text begins in these lines (for `find`, in letters), or which lines are the wanted one."""
    if word != "find":
        return [number for number, line in enumerate(lines) if bare(line) == wanted.rstrip("\n")]
    text, found, at = "".join(lines), [], -1
    while (at := text.find(wanted, at + 1)) >= 0:
        found.append(at)
    return found


def _split(lines: Lines, word: str, where: int, change: AnswerChange) -> list[_Part]:
    """The lines before an edit, those that it makes, and those behind it."""
    rules = TextRules(has=change.has, lacks=change.lacks, once=change.once, matches=change.matches)
    if word == "find":
        wanted, text = change.find or "", "".join(lines)
        start = text.count("\n", 0, where)
        stop = start + len(lines_of(text[text.rfind("\n", 0, where) + 1 : where + len(wanted)]))
        old = lines[start:stop]
        new = lines_of("".join(old).replace(wanted, change.put, 1))
        if new and not new[-1].endswith("\n") and stop < len(lines):  # the edit joined two lines
            new = lines_of("".join(new) + lines[stop])
            stop += 1
            old = lines[start:stop]
    else:
        start = stop = where + (word == "after")
        old = ()
        new = lines_of(change.put if change.put.endswith("\n") or not change.put else change.put + "\n")
        if start and not lines[start - 1].endswith("\n"):
            lines = (*lines[: start - 1], lines[start - 1] + "\n", *lines[start:])
    middle: list[_Part] = [_Free(new, rules, old)] if rules.ask else [new]
    return [lines[:start], *middle, lines[stop:]]


def _joined(pieces: Sequence[Sequence[_Part]]) -> tuple[tuple[Lines, ...], tuple[FreeStretch, ...]]:
    clean: list[Lines] = []
    free: list[FreeStretch] = []
    for row, parts in enumerate(pieces):
        lines: Lines = ()
        for part in parts:
            if isinstance(part, _Free):
                stop = len(lines) + len(part.lines)
                free.append(
                    FreeStretch(
                        stretch=row, start=len(lines), stop=stop, rules=part.rules, merged=part.merged
                    )
                )
                lines += part.lines
            else:
                lines += part
        clean.append(lines)
    return tuple(clean), tuple(free)
