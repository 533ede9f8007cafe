"""Read one resolved file: what was kept in each hunk, which markers are left, what else was changed."""

from __future__ import annotations

import functools
from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from muddled_orchard.core.git.lines import Lines, SpacingRule, alike, bare
from muddled_orchard.core.key.answers import Accepted, gap_for, split
from muddled_orchard.core.merging.alignment import Alignment, Gap, Reading, align
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.merging.keep import KEEP, lines_kept, words_for
from muddled_orchard.core.merging.markers import Marker, judged, looks_like

Doubt = Literal["two readings", "rough"] | int


@dataclass(frozen=True, slots=True, kw_only=True)
class HunkReading:
    """What became of one hunk.

    `number` counts from 1; `line` is where it lies in the file (from 1), `text` what stands there.
    `kept` is one of the words of `core.merging.keep`.
    `wanted` are the words of the key and `wanted_texts` what they read, `accepted` whether the key
    takes what stands there.
    """

    number: int
    hunk: Hunk
    line: int
    text: Lines
    kept: str
    wanted: tuple[str, ...]
    wanted_texts: tuple[Lines, ...]
    accepted: bool
    why: str = ""
    blank_lines_differ: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FileReading:
    """What became of one file with hunks.

    `added` are lines outside hunks (numbers from 1, with their text) that nothing asked for, `lost`
    lines outside hunks that are missing (with the number of the line that they should precede);
    `doubts` is why a person should have a look: the numbers of hunks that
    differ from the key in blank lines alone, and words for the file as a whole.
    """

    hunks: tuple[HunkReading, ...]
    markers: tuple[Marker, ...]
    added: tuple[tuple[int, str], ...]
    lost: tuple[tuple[int, str], ...]
    doubts: tuple[Doubt, ...]

    @property
    def right(self) -> int:
        """How many hunks the key accepts."""
        return sum(hunk.accepted for hunk in self.hunks)

    @property
    def strayed(self) -> int:
        """How many lines outside hunks are not what they should be."""
        return len(self.added) + len(self.lost)


def read_file(
    merged: MergedText,
    lines: Lines,
    accepted: Sequence[Accepted],
    spacing: SpacingRule,
    labels: Collection[str],
) -> FileReading:
    """Read a file that had hunks in the way that explains it best.

    Each accepted resolution is a yardstick; the one that the file comes nearest to counts. Where a
    file can be read in two ways that fit equally well, the one that earns more does. `labels` are
    names that stand behind conflict markers here.
    """
    reader = _Reader(merged, lines, accepted, spacing, labels)
    usable = [way for way in accepted if len(way.choices) == len(merged.hunks)]
    found = [reader.by(way) for way in usable] or [reader.by(None)]
    return max(found, key=lambda item: (item[0].right, -item[1], -item[0].strayed))[0]


class _Reader:
    """One file and what it is measured by."""

    def __init__(
        self,
        merged: MergedText,
        lines: Lines,
        accepted: Sequence[Accepted],
        spacing: SpacingRule,
        labels: Collection[str],
    ) -> None:
        self.merged = merged
        self.lines = lines
        self.accepted = [way for way in accepted if len(way.choices) == len(merged.hunks)]
        self.spacing: SpacingRule = spacing
        self.form = alike(spacing)
        self.labels = labels

    def by(self, way: Accepted | None) -> tuple[FileReading, int]:
        """The best reading with one yardstick (None: the bare merge), and what its alignment cost."""
        alignment = self._aligned(way)
        readings = [self._file(reading, way) for reading in alignment.readings]
        best = max(readings, key=lambda read: (read.right, -read.strayed))
        doubts: list[Doubt] = [hunk.number for hunk in best.hunks if hunk.blank_lines_differ]
        if any(read.right != best.right for read in readings):
            doubts.append("two readings")
        if not alignment.exact:
            doubts.append("rough")
        return (replace(best, doubts=tuple(doubts)) if doubts else best), alignment.cost

    def _aligned(self, way: Accepted | None) -> Alignment:
        if way is not None and self.form(self.lines) == self.form(way.text):
            return _as_written(way)
        template = _template(self.merged, way, self.spacing)
        return align(template, self.form(self.lines), looks_like(self.labels))

    def _file(self, reading: Reading, way: Accepted | None) -> FileReading:
        hunks: list[HunkReading] = []
        markers: list[Marker] = []
        for number, (hunk, (start, stop)) in enumerate(zip(self.merged.hunks, reading.gaps, strict=True)):
            choice = way.choices[number] if way else ()
            left = self._markers_in(hunk, choice, start, stop)
            markers += left
            hunks.append(self._hunk(number, hunk, (start, stop), left, way))
        added = []
        for place in reading.added:
            if marker := judged(self.lines[place], place + 1, self.labels):
                markers.append(marker)
            else:
                added.append((place + 1, bare(self.lines[place])))
        return FileReading(
            hunks=tuple(hunks),
            markers=tuple(sorted(markers, key=lambda marker: marker.line)),
            added=tuple(added),
            lost=tuple((at + 1, line) for at, line in reading.lost),
            doubts=(),
        )

    def _markers_in(self, hunk: Hunk, choice: Lines, start: int, stop: int) -> list[Marker]:
        """Markers among the lines of a gap, after those that the merged texts have themselves."""
        form = self.form
        own = Counter(form((*hunk.ours, *hunk.theirs))) | Counter(form(hunk.base)) | Counter(form(choice))
        markers = []
        for place, line in enumerate(self.lines[start:stop], start=start):
            normal = form([line])[0]
            if own[normal] > 0:
                own[normal] -= 1
            elif marker := judged(line, place + 1, self.labels):
                markers.append(marker)
        return markers

    def _hunk(
        self,
        number: int,
        hunk: Hunk,
        stretch: tuple[int, int],
        markers: Iterable[Marker],
        way: Accepted | None,
    ) -> HunkReading:
        text = self.lines[stretch[0] : stretch[1]]
        unresolved = any(marker.sure != "possible" for marker in markers)
        right = blank_lines_differ = False
        if way is not None and not unresolved:
            right = self._same(way.choices[number], text)
            if not right and self.spacing != "exact" and self._same_but_for_blanks(way.choices[number], text):
                right = blank_lines_differ = True
        kept = (
            "unresolved" if unresolved else self._kept(hunk, text, way.words[number] if right and way else "")
        )
        return HunkReading(
            number=number + 1,
            hunk=hunk,
            line=stretch[0] + 1,
            text=text,
            kept=kept,
            wanted=tuple(dict.fromkeys(way.words[number] for way in self.accepted)),
            wanted_texts=tuple(dict.fromkeys(way.choices[number] for way in self.accepted)),
            accepted=right,
            why=way.why if way else "",
            blank_lines_differ=blank_lines_differ,
        )

    def _kept(self, hunk: Hunk, text: Lines, by_the_key: str) -> str:
        """Which sides a text is, in the key's own words where it says so; a blend where it is neither."""
        if by_the_key in KEEP:
            return by_the_key
        sides = {word: lines_kept(hunk, word) for word in words_for(text)}
        exact = (word for word, lines in sides.items() if self._same(lines, text))
        nearly = (word for word, lines in sides.items() if self._same_but_for_blanks(lines, text))
        return next(exact, None) or next(nearly, "blend")

    def _same(self, one: Lines, other: Lines) -> bool:
        return self.form(one) == self.form(other)

    def _same_but_for_blanks(self, one: Lines, other: Lines) -> bool:
        """Alike when blank lines don't count, and not blank altogether."""
        filled = [line for line in self.form(one) if line.strip()]
        return bool(filled) and filled == [line for line in self.form(other) if line.strip()]


def _as_written(way: Accepted) -> Alignment:
    """How a file that is just what the key accepts lies along it."""
    gaps = []
    at = 0
    for clean, choice in zip(way.clean, way.choices, strict=False):
        at += len(clean)
        gaps.append((at, at + len(choice)))
        at += len(choice)
    return Alignment(readings=(Reading(gaps=tuple(gaps), added=(), lost=()),), cost=0, exact=True)


@functools.lru_cache(maxsize=64)  # a whole class is read along the same few templates
def _template(merged: MergedText, way: Accepted | None, spacing: SpacingRule) -> tuple[Lines | Gap, ...]:
    """What a file is laid along: the clean stretches of a resolution, with a gap for each hunk."""
    form = alike(spacing)
    template: list[Lines | Gap] = []
    for number, (clean, hunk) in enumerate(split(merged.parts)):
        template.append(form(way.clean[number] if way else clean))
        if hunk is not None:
            template.append(gap_for(hunk, spacing, [way.choices[number]] if way else []))
    return tuple(template)
