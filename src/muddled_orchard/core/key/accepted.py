"""What is accepted where a merge conflicts, and what a resolution earns by it."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from muddled_orchard.core.exercise.text_rules import TextRules, flaw_in
from muddled_orchard.core.git.lines import Lines, SpacingRule, alike
from muddled_orchard.core.key.outside_edits import FreeStretch
from muddled_orchard.core.merging.alignment import Gap, align, gap_for
from muddled_orchard.core.merging.conflict import Conflict, Hunk, MergedText
from muddled_orchard.core.merging.keep import KEEP, lines_kept

AS_WRITTEN = "as written in the key"


class HunkChoice(Struct, frozen=True, kw_only=True):
    """One thing that is accepted in a hunk: `text`, which is called `word`. With `rules` any lines that hold
    them are accepted, and `text` is an example. `worth` is the share of the hunk's points that it earns."""

    word: str
    text: Lines
    rules: TextRules | None = None
    worth: float = 1.0


class Accepted(Struct, frozen=True, kw_only=True):
    """One accepted resolution of one conflicted path.

    For texts: `choices` are what is accepted in each hunk, the one of the key's own solution first; `clean`
    are the stretches between (the merge's own unless the key changes something there too), in the places
    where `MergedText.parts` has them, and `free` the lines in them that may read otherwise. `gone` asks for
    the path not to exist, `whole` for one side's version of it as it is; `word` says which, or what else is
    wanted of a path without hunks. `worth` is the share of the points that it earns, `weights` how much each
    hunk (or the path) counts: they are alike in all alternatives.
    """

    word: str = ""
    choices: tuple[tuple[HunkChoice, ...], ...] = ()
    clean: tuple[Lines, ...] = ()
    free: tuple[FreeStretch, ...] = ()
    gone: bool = False
    whole: bool = False
    why: str = ""
    worth: float = 1.0
    weights: tuple[float, ...] = ()

    @property
    def words(self) -> tuple[str, ...]:
        """What the key's own solution is called, hunk by hunk, or for the whole path."""
        return tuple(choices[0].word for choices in self.choices) or ((self.word,) if self.word else ())

    @property
    def texts(self) -> tuple[Lines, ...]:
        """What the key's own solution reads in each hunk."""
        return tuple(choices[0].text for choices in self.choices)

    @property
    def text(self) -> Lines:
        """The whole resolved file."""
        parts = [line for pair in zip(self.clean, self.texts, strict=False) for part in pair for line in part]
        return (*parts, *(line for part in self.clean[len(self.choices) :] for line in part))

    def weight(self, hunk: int) -> float:
        """How much a hunk counts (from 0)."""
        return self.weights[hunk] if hunk < len(self.weights) else 1.0


class Decisions(Struct, frozen=True):
    """How many decisions conflicts ask for (one a hunk, or one for a path without hunks), and how much these
    count together."""

    count: int = 0
    weight: float = 0.0

    def __add__(self, other: Decisions) -> Decisions:
        return Decisions(self.count + other.count, self.weight + other.weight)

    def __sub__(self, other: Decisions) -> Decisions:
        return Decisions(self.count - other.count, self.weight - other.weight)


NO_DECISIONS = Decisions()


def size_of(conflict: Conflict) -> int:
    """How many decisions a conflict asks for."""
    return len(conflict.merged.hunks) if conflict.merged else 1


def weights_of(conflict: Conflict, accepted: Sequence[Accepted]) -> tuple[float, ...]:
    """How much each decision of a conflict counts."""
    return tuple(accepted[0].weight(place) if accepted else 1.0 for place in range(size_of(conflict)))


def decisions_in(conflict: Conflict, accepted: Sequence[Accepted]) -> Decisions:
    """The decisions of a conflict; none where the key accepts nothing there."""
    return Decisions(size_of(conflict), sum(weights_of(conflict, accepted))) if accepted else Decisions()


def worth_of(accepted: Sequence[Accepted], hunk: int, text: Lines, spacing: SpacingRule) -> float:
    """The largest share of a hunk's points that any of these resolutions gives for lines (`hunk` from 0)."""
    worths = [0.0]
    for way in accepted:
        if hunk < len(way.choices) and (choice := choice_in(way.choices[hunk], text, spacing)[0]):
            worths.append(way.worth * choice.worth)
    return max(worths)


def choice_in(
    choices: Sequence[HunkChoice], text: Lines, spacing: SpacingRule
) -> tuple[HunkChoice | None, bool]:
    """What the lines in a hunk are accepted as, the choice that earns most, and whether that is only so when
    blank lines don't count. Raises Undecided where rules can't be checked within their bounds."""
    form = alike(spacing)
    mine = form(text)
    for choice in sorted(choices, key=lambda choice: -choice.worth):
        if form(choice.text) == mine:
            return choice, False
        if choice.rules is not None and flaw_in(choice.rules, "".join(text), "these lines") is None:
            return choice, False
    filled = [line for line in mine if line.strip()]
    if spacing == "exact" or not filled:
        return None, False
    for choice in sorted(choices, key=lambda choice: -choice.worth):
        if filled == [line for line in form(choice.text) if line.strip()]:
            return choice, True
    return None, False


def by_text(merged: MergedText, lines: Lines, spacing: SpacingRule) -> Accepted:
    """A whole text as the accepted resolution, cut along the merge's hunks."""
    form = alike(spacing)
    template: list[Lines | Gap] = [
        gap_for(part, spacing) if isinstance(part, Hunk) else form(part) for part in merged.parts
    ]
    gaps = align(template, form(lines)).readings[0].gaps
    choices = []
    for hunk, (start, stop) in zip(merged.hunks, gaps, strict=True):
        text = lines[start:stop]
        same = (word for word in KEEP if form(lines_kept(hunk, word)) == form(text))
        choices.append((HunkChoice(word=next(same, AS_WRITTEN), text=text),))
    edges = [0, *(edge for gap in gaps for edge in gap), len(lines)]
    clean = tuple(lines[start:stop] for start, stop in zip(edges[::2], edges[1::2], strict=True))
    return Accepted(choices=tuple(choices), clean=clean)
