"""A conflict laid out to be looked at: its sides and what each changed, the merge, and every choice."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.git.lines import Lines, bare, is_binary, lines_of
from muddled_orchard.core.git.trees import kind_of
from muddled_orchard.core.key.accepted import worth_of
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict, Hunk, MergedText
from muddled_orchard.core.merging.differences import Piece, Row, marked_within, removed_within, rows_beside
from muddled_orchard.core.merging.keep import KEEP, lines_kept

_AROUND, _WHOLE = 3, 30


class ViewedLine(Struct, frozen=True):
    """A line of a file, in pieces; its number from 1 (None: it stands for lines that are left out, or, where
    it is `empty`, for nothing: another side has a line there)."""

    number: int | None
    pieces: tuple[Piece, ...]
    empty: bool = False


class SideView(Struct, frozen=True):
    """One side of a conflict: who it is, and its lines; None where it has no such file. What it changed since
    the base is marked; of the base, what either side changed."""

    name: str
    lines: tuple[ViewedLine, ...] | None
    note: str = ""


class MergedLine(Struct, frozen=True):
    """A line of the merge: `clean` as in all, from `ours` or `theirs` alone, or in `hunk` of a `side`."""

    text: str
    hunk: int | None = None
    side: str = "clean"


class ChoiceView(Struct, frozen=True):
    """What a hunk reads with a choice of sides: the words that lead there, the lines, and the share of the
    points that the key gives for them."""

    words: tuple[str, ...]
    lines: Lines
    worth: float


class ConflictView(Struct, frozen=True):
    """Everything about one conflicted path. `choices` are those of each hunk."""

    conflict: Conflict
    sides: tuple[SideView, SideView, SideView]
    merged: tuple[MergedLine, ...]
    choices: tuple[tuple[ChoiceView, ...], ...]


def view_of(key: Key, step: Step, conflict: Conflict) -> ConflictView:
    """Lay a conflict out."""
    texts = {name: _text(key, conflict, name) for name in STAGE}
    names = {"ours": step.ours_name, "base": "base (before both)", "theirs": step.theirs_name}
    views = [_side(key, conflict, name, names[name], texts) for name in ("ours", "base", "theirs")]
    changed = [_changed(view.lines or ()) for view in views]
    if all(texts[name] is not None for name in STAGE):
        rows = rows_beside(texts["ours"] or (), texts["base"] or (), texts["theirs"] or ())
        views = _beside(views, rows)
        changed = [set().union(*(_changed(view.lines or ()) for view in views))] * len(views)
    views = [
        replace(view, lines=tuple(_near(view.lines, near))) if view.lines else view
        for view, near in zip(views, changed, strict=True)
    ]
    merged = conflict.merged
    return ConflictView(
        conflict=conflict,
        sides=(views[0], views[1], views[2]),
        merged=tuple(_merged(merged, texts["base"] or ())) if merged else (),
        choices=tuple(
            _choices(key, step, conflict, number, hunk)
            for number, hunk in enumerate(merged.hunks if merged else ())
        ),
    )


def _text(key: Key, conflict: Conflict, name: str) -> Lines | None:
    """The lines of a side that is a text, else None."""
    blob = conflict.stages.get(STAGE[name])
    if blob is None or is_binary(key.texts.get(blob.id, b"")):
        return None
    return tuple(bare(line) for line in lines_of(key.texts.get(blob.id, b"").decode("utf-8", "replace")))


def _side(key: Key, conflict: Conflict, name: str, shown: str, texts: dict[str, Lines | None]) -> SideView:
    blob = conflict.stages.get(STAGE[name])
    if blob is None:
        return SideView(shown, None, "no such file")
    note = kind_of(blob.mode).shown.strip(": ")
    own = texts[name]
    if own is None:
        return SideView(shown, (), f"{len(key.texts.get(blob.id, b'')):,} bytes that are no text")
    base = texts["base"]
    if name == "base":
        others = [text for text in (texts["ours"], texts["theirs"]) if text is not None]
        marked = removed_within(own, others)
    elif base is None:
        marked = [[Piece(line, changed=True)] for line in own]
    else:
        marked = marked_within(base, own)
    return SideView(shown, tuple(ViewedLine(at, tuple(line)) for at, line in enumerate(marked, 1)), note)


def _beside(sides: Sequence[SideView], rows: Sequence[Row]) -> list[SideView]:
    """The sides, each with a line for each row."""
    nothing = ViewedLine(None, (), empty=True)
    lines = [side.lines or () for side in sides]
    return [
        replace(side, lines=tuple(nothing if row[at] is None else lines[at][row[at] or 0] for row in rows))
        for at, side in enumerate(sides)
    ]


def _near(lines: Sequence[ViewedLine], changed: Collection[int]) -> Iterator[ViewedLine]:
    """All lines of a short file, else those near a change."""
    whole = len(lines) <= _WHOLE
    near = {place for at in changed for place in range(at - _AROUND, at + _AROUND + 1)}
    left = False
    for at, line in enumerate(lines):
        if whole or at in near:
            yield line
            left = False
        elif not left:
            yield ViewedLine(None, ())
            left = True


def _changed(lines: Sequence[ViewedLine]) -> set[int]:
    """The places of lines that are changed, or that stand for nothing."""
    return {at for at, line in enumerate(lines) if line.empty or any(piece.changed for piece in line.pieces)}


def _merged(merged: MergedText, base: Lines) -> Iterator[MergedLine]:
    """The merge line by line; what is not in the base came from one side, cleanly."""
    known = set(base)
    number = 0
    for part in merged.parts:
        if not isinstance(part, Hunk):
            for line in part:
                yield MergedLine(bare(line), None, "clean" if bare(line) in known else "taken")
            continue
        number += 1
        for side, lines in (("ours", part.ours), ("base", part.base), ("theirs", part.theirs)):
            yield from (MergedLine(bare(line), number, side) for line in lines or ("",))


def _choices(key: Key, step: Step, conflict: Conflict, number: int, hunk: Hunk) -> tuple[ChoiceView, ...]:
    """Each choice of sides, those that read alike as one."""
    words: dict[Lines, list[str]] = {}
    for word in KEEP:
        words.setdefault(lines_kept(hunk, word), []).append(word)
    ways = step.accepted.get(conflict.path, ())
    spacing = key.scenario.spacing
    return tuple(
        ChoiceView(tuple(several), lines, worth_of(ways, number, lines, spacing))
        for lines, several in words.items()
    )
