"""A conflicted file as it lies there, with each of its parts named."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.lines import Lines, bare, lines_of
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.walkthrough.walkthrough import LineKind, Marked, MarkedLine


def marked(path: str, content: bytes, merged: MergedText, ours: str, theirs: str) -> Marked | None:
    """The file line by line, as the merge says that it lies there in Git's default style; None where it lies
    there otherwise. `ours` and `theirs` name the sides."""
    lines = lines_of(content)
    named = list(_lines(merged, lines, ours, theirs))
    return Marked(path, tuple(named)) if len(named) == len(lines) else None


def _lines(merged: MergedText, lines: Lines, ours: str, theirs: str) -> Iterator[MarkedLine]:
    rest = iter(lines)
    for part in merged.parts:
        if not isinstance(part, Hunk):
            yield from _named(rest, "clean", len(part))
            continue
        yield from _named(rest, "marker", 1, f"from here on: {ours}")
        yield from _named(rest, "ours", len(part.ours))
        yield from _named(rest, "marker", 1, f"from here on: {theirs}")
        yield from _named(rest, "theirs", len(part.theirs))
        yield from _named(rest, "marker", 1, "here the conflict ends")
    yield from _named(rest, "clean", len(lines))


def _named(lines: Iterator[str], kind: LineKind, most: int, remark: str = "") -> Iterator[MarkedLine]:
    for _ in range(most):
        line = next(lines, None)
        if line is None:
            return
        yield MarkedLine(kind, bare(line), remark)
