"""Reading a resolved file: whatever was assembled is read back, whatever was changed beside it."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from muddled_orchard.core.git.lines import Lines, lines_of
from muddled_orchard.core.grading.readings import read_file
from muddled_orchard.core.key.accepted import Accepted, HunkChoice
from muddled_orchard.core.merging.alignment import Gap, align
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.merging.keep import KEEP, lines_kept

LINE = st.sampled_from(("apple\n", "pear\n", "plum\n", "\n", "}\n"))
LINES = st.lists(LINE, max_size=4).map(tuple)
HUNK = st.builds(Hunk, LINES, LINES, LINES).filter(lambda hunk: hunk.ours != hunk.theirs)


@st.composite
def merges(draw: st.DrawFn) -> MergedText:
    """A merge with repeated lines everywhere, hunks at its ends and empty sides included."""
    hunks = draw(st.lists(HUNK, min_size=1, max_size=3))
    parts: list[Lines | Hunk] = [draw(LINES)]
    for hunk in hunks:
        parts += [hunk, (draw(LINE), *draw(LINES))]
    return MergedText(tuple(part for part in parts if part))


def choices_of(merged: MergedText, words: tuple[str, ...]) -> tuple[Lines, ...]:
    return tuple(lines_kept(hunk, word) for hunk, word in zip(merged.hunks, words, strict=True))


@settings(max_examples=300, deadline=None)
@given(merges(), st.data())
def test_an_assembled_choice_is_read_back(merged: MergedText, data: st.DataObject) -> None:
    words = tuple(data.draw(st.sampled_from(list(KEEP))) for _ in merged.hunks)
    chosen = choices_of(merged, words)
    text = merged.resolved(chosen)
    ways = {
        choices_of(merged, other)
        for other in itertools.product(KEEP, repeat=len(words))
        if merged.resolved(choices_of(merged, other)) == text
    }
    reading = read_file(merged, text, (), "exact", ())
    found = tuple(hunk.text for hunk in reading.hunks)
    assert not reading.added and not reading.lost  # noqa: PT018
    assert merged.resolved(found) == text
    if len(ways) == 1 and fillings(merged, text) == 1:
        assert found == chosen


def fillings(merged: MergedText, text: Lines) -> int:
    """In how many ways the gaps can be filled at all so that the text comes out, up to two."""
    parts = merged.parts

    def count(number: int, at: int) -> int:
        if number == len(parts):
            return int(at == len(text))
        part = parts[number]
        if not isinstance(part, Hunk):
            fits = text[at : at + len(part)] == part
            return count(number + 1, at + len(part)) if fits else 0
        return min(2, sum(count(number + 1, stop) for stop in range(at, len(text) + 1)))

    return count(0, 0)


@settings(max_examples=150, deadline=None)
@given(merges(), st.data())
def test_edits_outside_hunks_do_not_change_a_reading(merged: MergedText, data: st.DataObject) -> None:
    """With clean lines that occur once, an edit of one of them is found exactly there."""
    numbers = itertools.count()
    parts = tuple(
        part if isinstance(part, Hunk) else tuple(f"clean {next(numbers)}\n" for _ in range(len(part) + 2))
        for part in merged.parts
    )
    merged = MergedText(parts)
    words = tuple(data.draw(st.sampled_from(("ours", "theirs"))) for _ in merged.hunks)
    chosen = choices_of(merged, words)
    lines = list(merged.resolved(chosen))
    clean = [place for place, line in enumerate(lines) if line.startswith("clean")]
    place = data.draw(st.sampled_from(clean))
    before, gone = lines[place], data.draw(st.booleans())
    lines[place : place + 1] = [] if gone else ["edited\n"]
    reading = read_file(merged, tuple(lines), (), "exact", ())
    assert [line for _, line in reading.lost] == [before]
    assert [line for _, line in reading.added] == ([] if gone else ["edited"])
    assert tuple(hunk.text for hunk in reading.hunks) == chosen


def merged_from(text: str) -> MergedText:
    """`clean|<ours/theirs/base>|clean`, one letter a line."""
    parts: list[Lines | Hunk] = []
    for part in text.split("|"):
        if part.startswith("<"):
            ours, theirs, base = (tuple(f"{letter}\n" for letter in s) for s in part.strip("<>").split("/"))
            parts.append(Hunk(ours, theirs, base))
        else:
            parts.append(tuple(f"{letter}\n" for letter in part))
    return MergedText(tuple(parts))


@pytest.mark.parametrize(
    ("merge", "left", "kept"),
    [
        ("ab|<o/t/x>|cd", "abocd", "ours"),
        ("ab|<o/t/x>|cd", "abtocd", "theirs+ours"),
        ("ab|<o/t/x>|cd", "abcd", "neither"),
        ("ab|<o/t/x>|cd", "abncd", "blend"),
        ("ab|<o/t/x>|cd", "abocD", "ours"),
        ("ab|<o/t/x>|cd", "aocd", "ours"),
        ("<o/t/x>|cd", "tcd", "theirs"),
        ("cd|<o/t/x>", "cdx", "base"),
        ("a|</t/x>|b", "ab", "ours"),
        ("a|</t/x>|b", "atb", "theirs"),
        ("..|<.o./.t./>|..", "...o...", "ours"),
        ("..|<.o./.t./>|..", "...t...", "theirs"),
        ("a|<o/t/x>|}|<o/t/x>|}", "ao}t}", "ours theirs"),
        ("a|<o/t/x>|}|<o/t/x>|}", "at}o}", "theirs ours"),
        ("a|<o/t/x>|}|<o/t/x>|}", "a}ot}", "neither ours+theirs"),
    ],
)
def test_readings(merge: str, left: str, kept: str) -> None:
    text = tuple(f"{letter}\n" for letter in left)
    reading = read_file(merged_from(merge), text, (), "line-ends", ())
    assert " ".join(hunk.kept for hunk in reading.hunks) == kept


def test_two_readings_that_earn_differently_are_flagged_and_the_better_counts() -> None:
    merged = merged_from("<o/t/>|.|<o/t/>")
    clean = merged.clean
    # The clean line between the hunks is gone: did "o" and "t" belong to both hunks or to one of them?
    choices = HunkChoice(word="ours+theirs", text=("o\n", "t\n")), HunkChoice(word="neither", text=())
    key = Accepted(choices=tuple((choice,) for choice in choices), clean=clean)
    reading = read_file(merged, ("o\n", "t\n"), (key,), "exact", ())
    assert [hunk.worth for hunk in reading.hunks] == [1, 1]
    assert "two readings" in reading.doubts


def test_a_file_that_has_nothing_to_do_with_the_merge_is_read_roughly() -> None:
    merged = MergedText(
        (
            tuple(f"clean {n}\n" for n in range(1500)),
            Hunk(("o\n",), ("t\n",), ()),
            tuple(f"more {n}\n" for n in range(1500)),
        )
    )
    other = tuple(f"other {n % 7}\n" for n in range(3000))
    assert read_file(merged, other, (), "exact", ()).doubts == ("rough",)


def test_the_guess_decides_only_by_what_it_explains() -> None:
    gap = Gap((("x",), ("y",)))
    alignment = align([("a",), gap, ("b",)], ("a", "x", "new", "b"))
    assert alignment.readings[0].gaps == ((1, 3),)
    assert lines_of("a\nb") == ("a\n", "b")


def test_a_marker_belongs_to_a_gap_where_the_clean_line_beside_it_is_gone() -> None:
    gap = Gap((("o",), ("t",), ("o", "t")))
    left = ("a", "<<<<<<<", "o", "=======", "t", ">>>>>>>", "c")
    alignment = align([("a",), gap, ("b", "c")], left, lambda line: line[0] * 7 == line)
    assert alignment.readings[0].gaps == ((1, 6),)
    assert alignment.readings[0].lost == ((6, "b"),)
