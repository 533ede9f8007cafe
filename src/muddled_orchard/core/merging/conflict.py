"""A three-way merge: what Git makes of base, ours and theirs, and where it gives up.

Every operation that can conflict (a merge, each step of a rebase, a cherry-pick, a revert, a stash
pop) is a chain of such merges. Git itself decides what conflicts and how the hunks fall
(`vcs.ask.predict` asks it); this module gives its answer a shape.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.lines import Lines, lines_of
from muddled_orchard.core.git.trees import Blob

MARKER_SIZE = 40
"""The size of the markers that Git is asked to write here: no text can be taken for one."""

MARKER_ATTRIBUTES = f"* conflict-marker-size={MARKER_SIZE}\n"
"""The attributes that have Git write such markers."""

STAGE = {"base": 1, "ours": 2, "theirs": 3}
"""Under which number the index holds each side of an unmerged path."""

_MARKER = pattern(r"(?P<sign>[<|=>])(?P=sign){39}(?: .*)?\r?\n?")


class Hunk(Struct, frozen=True):
    """One conflict in a text, as a learner meets it in the default conflict style.

    `base` is the part of the common ancestor in Git's diff3 style. Where Git splits one diff3 hunk
    in several, each of them carries its whole base part and `base_is_shared` says so.
    """

    ours: Lines
    theirs: Lines
    base: Lines
    base_is_shared: bool = False


class MergedText(Struct, frozen=True):
    """A file that Git merged with conflicts: clean stretches and hunks, in order."""

    parts: tuple[Lines | Hunk, ...]

    @property
    def hunks(self) -> tuple[Hunk, ...]:
        """The conflicts, in the order in which Git shows them; the first is number 1."""
        return tuple(part for part in self.parts if isinstance(part, Hunk))

    @property
    def clean(self) -> tuple[Lines, ...]:
        """The clean stretches: the one before each hunk, and at last the one behind all."""
        stretches: list[Lines] = [()]
        for part in self.parts:
            if isinstance(part, Hunk):
                stretches.append(())
            else:
                stretches[-1] += part
        return tuple(stretches)

    def resolved(self, choices: Sequence[Lines]) -> Lines:
        """The file with the n-th hunk replaced by the n-th choice."""
        chosen = iter(choices)
        return tuple(
            line for part in self.parts for line in (next(chosen) if isinstance(part, Hunk) else part)
        )


class Conflict(Struct, frozen=True):
    """One path that Git could not merge.

    `kind` is Git's own word for it (`contents`, `modify/delete`, ...), `stages` what the index holds
    for the path (1 base, 2 ours, 3 theirs), `merged` the text with its hunks where both sides have
    text.
    """

    path: str
    kind: str
    stages: Mapping[int, Blob]
    merged: MergedText | None


class MergeResult(Struct, frozen=True):
    """What Git makes of three trees: `tree` is the result by path, conflicted paths included."""

    tree: Mapping[str, Blob]
    conflicts: tuple[Conflict, ...]

    def conflict(self, path: str) -> Conflict | None:
        """The conflict at a path, if there is one."""
        return next((conflict for conflict in self.conflicts if conflict.path == path), None)


def relabelled(merge: MergeResult, labels: Mapping[str, str]) -> MergeResult:
    """The merge with the names that Git gives to files it sets aside (`hives~HEAD`) as a learner sees
    them: Git was given ids where a learner gives branches. `labels` says which label an id stands for."""

    def name(path: str) -> str:
        front, tilde, label = path.rpartition("~")
        # In a file's name Git writes underscores for the slashes of a branch.
        return f"{front}~{labels[label].replace('/', '_')}" if tilde and label in labels else path

    if not any("~" in path for path in merge.tree):
        return merge
    conflicts = tuple(replace(conflict, path=name(conflict.path)) for conflict in merge.conflicts)
    return MergeResult({name(path): blob for path, blob in merge.tree.items()}, conflicts)


def merged_text(default_style: bytes, diff3_style: bytes) -> MergedText:
    """Read what Git wrote for one file in both styles with markers of MARKER_SIZE.

    The hunks are those of the default style, since learners see these. Their base parts come from
    the diff3 hunks that they share lines with: both texts give the same file when ours is
    taken everywhere, and likewise theirs, which gives every hunk a place that can be compared.
    """
    shown = _placed(_parts(lines_of(default_style)))
    with_base = _placed(_parts(lines_of(diff3_style)))
    ours_text = tuple(line for part in with_base for line in (part.hunk.ours if part.hunk else part.clean))
    near = _near(with_base)
    ties = [[wide for wide in near(part) if part.meets(wide)] if part.hunk else [] for part in shown]
    uses = Counter(id(wide) for tie in ties for wide in tie)
    parts: list[Lines | Hunk] = []
    for part, tie in zip(shown, ties, strict=True):
        if part.hunk is None:
            parts.append(part.clean)
            continue
        base: Lines = ()
        end = tie[0].ours[0] if tie else 0
        for wide in tie:
            # Git joins hunks that lie close together; the lines between them are unchanged.
            base += ours_text[end : wide.ours[0]] + (wide.hunk.base if wide.hunk else ())
            end = wide.ours[1]
        shared = any(uses[id(wide)] > 1 for wide in tie)
        parts.append(Hunk(part.hunk.ours, part.hunk.theirs, base, shared))
    return MergedText(tuple(parts))


class _Placed(Struct, frozen=True):
    """A part with the stretch that it takes up when ours, and when theirs, is taken everywhere."""

    clean: Lines
    hunk: Hunk | None
    ours: tuple[int, int]
    theirs: tuple[int, int]

    def meets(self, other: _Placed) -> bool:
        """Whether the two share a line of either side, or one lies within the other on both."""
        sides = ((self.ours, other.ours), (self.theirs, other.theirs))
        return (
            any(max(one[0], two[0]) < min(one[1], two[1]) for one, two in sides)
            or all(two[0] <= one[0] and one[1] <= two[1] for one, two in sides)
            or all(one[0] <= two[0] and two[1] <= one[1] for one, two in sides)
        )


def _near(parts: Sequence[_Placed]) -> Callable[[_Placed], Sequence[_Placed]]:
    """What gives the hunks among some parts, in order, that may meet another part: those that touch it on
    either side. Both sides' places only grow, so they lie together."""
    hunks = [part for part in parts if part.hunk]
    starts = [[hunk.ours[0] for hunk in hunks], [hunk.theirs[0] for hunk in hunks]]
    ends = [[hunk.ours[1] for hunk in hunks], [hunk.theirs[1] for hunk in hunks]]

    def near(part: _Placed) -> Sequence[_Placed]:
        sides = (part.ours, part.theirs)
        first = min(bisect_left(end, side[0]) for end, side in zip(ends, sides, strict=True))
        last = max(bisect_right(start, side[1]) for start, side in zip(starts, sides, strict=True))
        return hunks[first:last]

    return near


def _placed(parts: Sequence[Lines | Hunk]) -> list[_Placed]:
    placed = []
    ours = theirs = 0
    for part in parts:
        hunk = part if isinstance(part, Hunk) else None
        clean = () if isinstance(part, Hunk) else part
        more_ours = len(hunk.ours) if hunk else len(clean)
        more_theirs = len(hunk.theirs) if hunk else len(clean)
        placed.append(_Placed(clean, hunk, (ours, ours + more_ours), (theirs, theirs + more_theirs)))
        ours, theirs = ours + more_ours, theirs + more_theirs
    return placed


def _parts(lines: Lines) -> list[Lines | Hunk]:
    parts: list[Lines | Hunk] = []
    clean: list[str] = []
    sides: dict[str, list[str]] = {}
    side: list[str] = clean
    for line in lines:
        marker = _MARKER.fullmatch(line)
        if marker is None:
            side.append(line)
            continue
        if marker["sign"] == "<":
            if clean:
                parts.append(tuple(clean))
            sides = {"<": [], "|": [], "=": []}
            side = sides["<"]
        elif marker["sign"] == ">":
            parts.append(Hunk(tuple(sides["<"]), tuple(sides["="]), tuple(sides["|"])))
            clean = side = []
        else:
            side = sides[marker["sign"]]
    if clean:
        parts.append(tuple(clean))
    return parts
