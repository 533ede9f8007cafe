"""A conflicted file as it lies there, with each of its parts named."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.lines import Lines, bare, lines_of
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.walkthrough.walkthrough import LineKind, Marked, MarkedLine


def marked(path: str, content: bytes, merged: MergedText, ours: str, theirs: str) -> Marked | None:
    """The file line by line, in whichever of Git's styles its markers are; None where it lies there otherwise
    than the merge says. `ours` and `theirs` name the sides."""
    lines = lines_of(content)
    counted = list(_lines(merged, lines, ours, theirs))
    if len(counted) == len(lines) and all(_is_marker(line.text) for line in counted if line.kind == "marker"):
        return Marked(path, tuple(counted))
    named = list(_by_markers(lines, ours, theirs))
    hunks = sum(isinstance(part, Hunk) for part in merged.parts)
    ends = sum(line.remark == _ENDS for line in named)
    return Marked(path, tuple(named)) if ends == hunks else None


_ENDS = "here the conflict ends"


def _is_marker(line: str) -> bool:
    return line[:7] in ("<<<<<<<", "=======", ">>>>>>>")


def _by_markers(lines: Lines, ours: str, theirs: str) -> Iterator[MarkedLine]:
    """The lines by the markers among them: with those that name the base, parts have other lengths."""
    inside: LineKind = "clean"
    for line in map(bare, lines):
        if inside == "clean" and line.startswith("<<<<<<< "):
            inside = "ours"
            yield MarkedLine("marker", line, f"from here on: {ours}")
        elif inside == "ours" and line.startswith("|||||||"):
            inside = "base"
            yield MarkedLine("marker", line, "from here on: what was there before both (the base)")
        elif inside in ("ours", "base") and line == "=======":
            inside = "theirs"
            yield MarkedLine("marker", line, f"from here on: {theirs}")
        elif inside == "theirs" and line.startswith(">>>>>>> "):
            inside = "clean"
            yield MarkedLine("marker", line, _ENDS)
        else:
            yield MarkedLine(inside, line)


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
        yield from _named(rest, "marker", 1, _ENDS)
    yield from _named(rest, "clean", len(lines))


def _named(lines: Iterator[str], kind: LineKind, most: int, remark: str = "") -> Iterator[MarkedLine]:
    for _ in range(most):
        line = next(lines, None)
        if line is None:
            return
        yield MarkedLine(kind, bare(line), remark)
