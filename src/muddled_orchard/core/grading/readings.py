"""Read one resolved file: what was kept in each hunk, which markers are left, what else was changed."""

from __future__ import annotations

import difflib
import functools
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Sequence
from itertools import zip_longest
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.exercise.text_rules import Undecided, flaw_in
from muddled_orchard.core.git.lines import Lines, SpacingRule, alike, bare
from muddled_orchard.core.key.accepted import Accepted, HunkChoice, choice_in
from muddled_orchard.core.key.outside_edits import FreeStretch
from muddled_orchard.core.merging.alignment import Alignment, Gap, Reading, align, gap_for
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.merging.keep import KEEP, lines_kept, words_for
from muddled_orchard.core.merging.markers import Marker, has_signs, judged, looks_like

Doubt = Literal["two readings", "rough"] | int


class HunkReading(Struct, frozen=True, kw_only=True):
    """What became of one hunk.

    `number` counts from 1; `line` is where it lies in the file (from 1), `text` what stands there.
    `kept` is one of the words of `core.merging.keep`.
    `wanted` are the words of the key and `wanted_texts` what they read, `worth` the share of the hunk's
    points (0 to 1) that the key gives for what stands there; `known` tells that apart which the key names
    and gives nothing for. `undecided`: why its rules could not be checked.
    """

    number: int
    hunk: Hunk
    line: int
    text: Lines
    kept: str
    wanted: tuple[str, ...]
    wanted_texts: tuple[Lines, ...]
    worth: float
    known: bool = False
    undecided: str = ""
    why: str = ""
    blank_lines_differ: bool = False


class FileReading(Struct, frozen=True, kw_only=True):
    """What became of one file with hunks.

    `added` are lines outside hunks (numbers from 1, with their text) that nothing asked for, `lost`
    lines outside hunks that are missing (with the number of the line that they should precede);
    `doubts` is why a person should have a look: the numbers of hunks that differ from the key in blank lines
    alone, and words for the file as a whole. `earned` is what its hunks are worth, each times its weight,
    `way` the resolution that it was measured by; `exactly` is the one of the key that it reads like from its
    first line to its last, if that is another one.
    """

    hunks: tuple[HunkReading, ...]
    markers: tuple[Marker, ...]
    added: tuple[tuple[int, str], ...]
    lost: tuple[tuple[int, str], ...]
    doubts: tuple[Doubt, ...]
    earned: float = 0.0
    way: Accepted | None = None
    exactly: Accepted | None = None

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
    # Ids of commits are among them, each learner's own; without lines like markers many files are alike.
    names = frozenset(labels)
    named = names if has_signs(lines) or any(line.strip() in names for line in lines) else frozenset()
    read = _read if len(lines) <= _REMEMBERED else _read.__wrapped__
    return read(merged, lines, tuple(accepted), spacing, named)


_REMEMBERED = 400
"""How many lines a file may have that is remembered: those of a class with one variant are much alike."""


@functools.lru_cache(maxsize=128)
def _read(
    merged: MergedText,
    lines: Lines,
    accepted: tuple[Accepted, ...],
    spacing: SpacingRule,
    labels: frozenset[str],
) -> FileReading:
    reader = _Reader(merged, lines, accepted, spacing, labels)
    usable = [way for way in accepted if len(way.choices) == len(merged.hunks)]
    found = [reader.by(way) for way in usable] or [reader.by(None)]
    best = max(found, key=lambda item: (item[0].earned, -item[1], -item[0].strayed))[0]
    exactly = next((way for way in usable if best.strayed and reader.reads_like(way)), None)
    return best if exactly is None else replace(best, exactly=exactly)


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
        self._wanted_in: dict[int, tuple[tuple[str, ...], tuple[Lines, ...]]] = {}

    def by(self, way: Accepted | None) -> tuple[FileReading, int]:
        """The best reading with one yardstick (None: the bare merge), and what its alignment cost."""
        alignment = self._aligned(way)
        readings = [self._file(reading, way) for reading in alignment.readings]
        best = max(readings, key=lambda read: (read.earned, -read.strayed))
        doubts: list[Doubt] = [hunk.number for hunk in best.hunks if hunk.blank_lines_differ]
        if any(read.earned != best.earned for read in readings):
            doubts.append("two readings")
        if not alignment.exact:
            doubts.append("rough")
        return (replace(best, doubts=tuple(doubts)) if doubts else best), alignment.cost

    def reads_like(self, way: Accepted) -> bool:
        """Whether the file is just what a resolution makes of it."""
        return self.form(self.lines) == self.form(way.text)

    def _aligned(self, way: Accepted | None) -> Alignment:
        if way is not None and self.reads_like(way):
            return _as_written(way)
        template = _template(self.merged, way, self.spacing)
        return align(template, self.form(self.lines), looks_like(self.labels))

    def _file(self, reading: Reading, way: Accepted | None) -> FileReading:
        hunks: list[HunkReading] = []
        markers: list[Marker] = []
        added_places, lost = list(reading.added), list(reading.lost)
        spots = (part for part in laid_out(self.merged, way) if not isinstance(part, tuple))
        for spot, (start, stop) in zip(spots, reading.gaps, strict=True):
            if isinstance(spot, FreeStretch):
                astray, missing = self._free(spot, way, start, stop)
                added_places += astray
                lost += missing
                continue
            number = len(hunks)
            choices = way.choices[number] if way else ()
            left = self._markers_in(spot, choices, start, stop)
            markers += left
            hunks.append(self._hunk(number, spot, (start, stop), left, way))
        added = []
        for place in sorted(added_places):
            if marker := judged(self.lines[place], place + 1, self.labels):
                markers.append(marker)
            else:
                added.append((place + 1, bare(self.lines[place])))
        return FileReading(
            hunks=tuple(hunks),
            markers=tuple(sorted(markers, key=lambda marker: marker.line)),
            added=tuple(added),
            lost=tuple((at + 1, line) for at, line in sorted(lost, key=lambda item: item[0])),
            doubts=(),
            way=way,
            earned=sum(hunk.worth * (way.weight(hunk.number - 1) if way else 1.0) for hunk in hunks),
        )

    def _free(
        self, free: FreeStretch, way: Accepted | None, start: int, stop: int
    ) -> tuple[list[int], list[tuple[int, str]]]:
        """What is added and lost in lines that may read as the key has them, or as their rules ask."""
        text, form = self.lines[start:stop], self.form
        wanted = form(way.clean[free.stretch][free.start : free.stop]) if way else ()
        now = form(text)
        try:
            holds = now != wanted and flaw_in(free.rules, "".join(text), "these lines") is None
        except Undecided:
            holds = False
        added: list[int] = []
        lost: list[tuple[int, str]] = []
        if now == wanted or (holds and not any(judged(line, 0, self.labels) for line in text)):
            return added, lost
        for tag, old, old_end, new, new_end in difflib.SequenceMatcher(
            None, wanted, now, autojunk=False
        ).get_opcodes():
            if tag != "equal":
                added += range(start + new, start + new_end)
                lost += [(start + new, line) for line in wanted[old:old_end]]
        return added, lost

    def _markers_in(self, hunk: Hunk, choices: Sequence[HunkChoice], start: int, stop: int) -> list[Marker]:
        """Markers among the lines of a gap, after those that the merged texts have themselves."""
        form = self.form
        own = Counter(form((*hunk.ours, *hunk.theirs))) | Counter(form(hunk.base))
        for choice in choices:
            own |= Counter(form(choice.text))
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
        choice, blank_lines_differ, undecided = None, False, ""
        if way is not None and not unresolved:
            try:
                choice, blank_lines_differ = choice_in(way.choices[number], text, self.spacing)
            except Undecided as reason:
                undecided = str(reason)
        kept = "unresolved" if unresolved else self._kept(hunk, text, choice.word if choice else "")
        words, texts = self._wanted(number)
        return HunkReading(
            number=number + 1,
            hunk=hunk,
            line=stretch[0] + 1,
            text=text,
            kept=kept,
            wanted=words,
            wanted_texts=texts,
            worth=way.worth * choice.worth if way and choice else 0.0,
            known=choice is not None,
            undecided=undecided,
            why=way.why if way and (choice or way.worth == 1) else "",
            blank_lines_differ=blank_lines_differ,
        )

    def _wanted(self, number: int) -> tuple[tuple[str, ...], tuple[Lines, ...]]:
        """What earns everything in a hunk (from 0): words, and texts. The same for every yardstick."""
        if number not in self._wanted_in:
            fully = [other for other in self.accepted if other.worth == 1]
            wanted = [best for other in fully for best in other.choices[number] if best.worth == 1]
            words, texts = (
                dict.fromkeys(choice.word for choice in wanted),
                dict.fromkeys(choice.text for choice in wanted),
            )
            self._wanted_in[number] = tuple(words), tuple(texts)
        return self._wanted_in[number]

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
    texts, free_in = way.texts, _free_stretches(way)
    for number, clean in enumerate(way.clean):
        gaps += [(at + free.start, at + free.stop) for free in free_in.get(number, ())]
        at += len(clean)
        if number < len(texts):
            gaps.append((at, at + len(texts[number])))
            at += len(texts[number])
    return Alignment(readings=(Reading(gaps=tuple(gaps), added=(), lost=()),), cost=0, exact=True)


def _free_stretches(way: Accepted | None) -> dict[int, list[FreeStretch]]:
    """The lines that may read otherwise, by the clean stretch in which they are."""
    found: dict[int, list[FreeStretch]] = {}
    for free in way.free if way else ():
        found.setdefault(free.stretch, []).append(free)
    return found


@functools.lru_cache(maxsize=64)  # a whole class is read along the same few templates
def _template(merged: MergedText, way: Accepted | None, spacing: SpacingRule) -> tuple[Lines | Gap, ...]:
    """What a file is laid along: the clean stretches of a resolution, with a gap for each hunk."""
    form = alike(spacing)
    template: list[Lines | Gap] = []
    number = 0
    for part in laid_out(merged, way):
        if isinstance(part, Hunk):
            more = [choice.text for choice in way.choices[number]] if way else []
            template.append(gap_for(part, spacing, more))
            number += 1
        elif isinstance(part, FreeStretch):
            wanted = way.clean[part.stretch][part.start : part.stop] if way else ()
            template.append(Gap((form(wanted), form(part.merged))))
        else:
            template.append(form(part))
    return tuple(template)


def laid_out(merged: MergedText, way: Accepted | None) -> Iterator[Lines | Hunk | FreeStretch]:
    """A resolution in order: its clean stretches, its hunks, and the lines between that may read
    otherwise."""
    free_in = _free_stretches(way)
    for number, (clean, hunk) in enumerate(zip_longest(merged.clean, merged.hunks)):
        at, lines = 0, way.clean[number] if way else clean
        for free in free_in.get(number, ()):
            yield lines[at : free.start]
            yield free
            at = free.stop
        yield lines[at:]
        if hunk is not None:
            yield hunk
