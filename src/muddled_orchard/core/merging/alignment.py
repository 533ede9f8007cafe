"""Where each hunk of a merge lies in a resolved file.

The merge gives clean stretches with gaps between them, one gap a hunk. A learner's file is read as the
way through clean stretches and gaps that explains it with the least change, over the whole file at
once, so that repeated lines (blank ones, braces) can't lead the reading astray. Where several ways
explain it equally well, all of them are returned.
"""

from __future__ import annotations

import difflib
import functools
import heapq
from collections.abc import Callable, Sequence

from msgspec import Struct

from muddled_orchard.core.git.lines import Lines, SpacingRule, alike
from muddled_orchard.core.merging.conflict import Hunk

# What a difference costs. A new line is taken to be the work on a hunk where it lies beside one, a
# marker belongs nowhere else; a changed clean line is one change and not two, so that a gap beside
# it doesn't swallow it.
_ADDED_IN_CLEAN = 10
_LOST_IN_CLEAN = 10
_CHANGED_IN_CLEAN = 15
_ADDED_IN_GAP = 9
_LOST_IN_GAP = 9
_MARKER_IN_GAP = 1

_MOST_STATES = 300_000
_MOST_READINGS = 16


class Gap(Struct, frozen=True):
    """A hunk's place. `guesses` are texts that may stand there: each side, both, the base, ..."""

    guesses: tuple[Lines, ...]


def gap_for(hunk: Hunk, spacing: SpacingRule, more: Sequence[Lines] = ()) -> Gap:
    """A hunk's place in an alignment, with every text that may be expected there in normal form."""
    form = alike(spacing)
    texts = (
        *more,
        hunk.ours,
        hunk.theirs,
        hunk.base,
        hunk.ours + hunk.theirs,
        hunk.theirs + hunk.ours,
        hunk.ours + hunk.base + hunk.theirs,  # markers left in diff3 style
    )
    return Gap(tuple(form(text) for text in texts))


class Reading(Struct, frozen=True):
    """One way to read a file.

    `gaps` are the stretches (start, stop) of the file's lines that lie in each gap. `added` are the
    lines of the file that stand in a clean stretch and don't belong there, `lost` the lines that are
    missing there: the place in the file where they are missed, and the line itself.
    """

    gaps: tuple[tuple[int, int], ...]
    added: tuple[int, ...]
    lost: tuple[tuple[int, str], ...]


class Alignment(Struct, frozen=True):
    """The best readings, and what they cost. `exact` is False where the file is so far from the merge
    that the search was given up and only its rough shape was matched."""

    readings: tuple[Reading, ...]
    cost: int
    exact: bool = True


def align(
    template: Sequence[Lines | Gap],
    lines: Lines,
    is_marker: Callable[[str], bool] = lambda _: False,
) -> Alignment:
    """Read `lines` as a filled-in `template`. Lines are compared as they are, so pass normal forms.

    Takes time proportional to the number of lines times the number of differences.
    """
    return _Search(template, lines, is_marker).run()


_Step = tuple[int, int]  # (node, how many of the file's lines are read)


class _Nodes:
    """A template flattened into nodes: a clean line leads on to the next node, a gap's first node leads
    into a chain of nodes for each guess, and all chains lead to the gap's last node."""

    def __init__(self, template: Sequence[Lines | Gap]) -> None:
        self.text: list[str | None] = []  # the line that a node stands for; None where it has none
        self.next: list[tuple[int, ...]] = []
        self.gap: list[int | None] = []
        self.gaps = 0
        for part in template:
            if isinstance(part, Gap):
                self._add_gap(part)
            else:
                for line in part:
                    self._add(line, None, (len(self.text) + 1,))
        self.end = len(self.text)
        self._add(None, None, ())

    def _add(self, text: str | None, gap: int | None, leads_to: tuple[int, ...]) -> None:
        self.text.append(text)
        self.gap.append(gap)
        self.next.append(leads_to)

    def _add_gap(self, part: Gap) -> None:
        guesses = [guess for guess in dict.fromkeys(part.guesses) if guess]
        starts = []
        at = len(self.text) + 1
        for guess in guesses:
            starts.append(at)
            at += len(guess)
        exit_ = at
        self._add(None, self.gaps, (exit_, *starts))
        for guess in guesses:
            for number, line in enumerate(guess):
                last = number == len(guess) - 1
                self._add(line, self.gaps, (exit_ if last else len(self.text) + 1,))
        self._add(None, self.gaps, (exit_ + 1,))
        self.gaps += 1


@functools.lru_cache(maxsize=64)  # a whole class is read along the same few templates
def _nodes(template: tuple[Lines | Gap, ...]) -> _Nodes:
    return _Nodes(template)


class _Search:
    """Dijkstra's search through (place in the template, place in the file)."""

    def __init__(
        self, template: Sequence[Lines | Gap], lines: Lines, is_marker: Callable[[str], bool]
    ) -> None:
        nodes = _nodes(tuple(template))
        self.lines = lines
        self.is_marker = is_marker
        self.template = template
        self.text, self.next, self.gap = nodes.text, nodes.next, nodes.gap
        self.gaps, self.end = nodes.gaps, nodes.end

    def run(self) -> Alignment:
        size, end = len(self.lines), self.end
        best: dict[_Step, int] = {(0, 0): 0}
        came: dict[_Step, list[_Step]] = {(0, 0): []}
        heap: list[tuple[int, int, int]] = [(0, 0, 0)]
        done: set[_Step] = set()
        least: int | None = None
        while heap:
            cost, back, node = heapq.heappop(heap)
            if least is not None and cost > least:
                break
            at = -back
            step = (node, at)
            if step in done:
                continue
            done.add(step)
            if node == end and at == size:
                least = cost  # the search goes on through what costs no more, for other readings
                continue
            if len(done) > _MOST_STATES:
                return self._rough() if least is None else Alignment(self._readings(came), least)
            for target, more in self._moves(node, at):
                reached = cost + more
                known = best.get(target)
                if known is None or reached < known:
                    best[target] = reached
                    came[target] = [step]
                    # Of equal costs the one furthest into the file first: it ends the search soonest.
                    heapq.heappush(heap, (reached, -target[1], target[0]))
                elif reached == known and step not in came[target]:
                    came[target].append(step)
        assert least is not None  # noqa: S101 - every file can be read as added lines
        return Alignment(self._readings(came), least)

    def _moves(self, node: int, at: int) -> list[tuple[_Step, int]]:
        lines, text, size = self.lines, self.text, len(self.lines)
        here = text[node]
        if self.gap[node] is None:
            start = node
            while at < size and here is not None and here == lines[at]:
                node, at = node + 1, at + 1
                here = text[node]
                if self.gap[node] is not None:
                    break
            if node != start:
                # Taking an equal line of a clean stretch is never worse than anything else.
                return [((node, at), 0)]
            moves: list[tuple[_Step, int]] = []
            if here is not None:
                moves.append(((node + 1, at), _LOST_IN_CLEAN))
                if at < size:
                    moves.append(((node + 1, at + 1), _CHANGED_IN_CLEAN))
            if at < size:
                moves.append(((node, at + 1), _ADDED_IN_CLEAN))
            return moves
        moves = []
        if here is None:
            moves += [((target, at), 0) for target in self.next[node]]
            if len(moves) > 1:
                return moves  # the first node of a gap: lines are added further in
        else:
            target = self.next[node][0]
            if at < size and here == lines[at]:
                moves.append(((target, at + 1), 0))
            moves.append(((target, at), _LOST_IN_GAP))
        if at < size:
            cost = _MARKER_IN_GAP if self.is_marker(lines[at]) else _ADDED_IN_GAP
            moves.append(((node, at + 1), cost))
        return moves

    def _readings(self, came: dict[_Step, list[_Step]]) -> tuple[Reading, ...]:
        """All cheapest ways, from the end backwards; those that fill the gaps alike count once."""
        # Enumerating every tied path could take for ever; distinct gap stretches are few, so the
        # walk remembers for each step the tails that lead to distinct stretches.
        readings: dict[tuple[Lines, ...], Reading] = {}
        stack: list[tuple[_Step, tuple[_Step, ...]]] = [((self.end, len(self.lines)), ())]
        walked = 0
        while stack and len(readings) < _MOST_READINGS and walked < 64:
            step, tail = stack.pop()
            path = [step]
            while came[path[-1]]:
                before = came[path[-1]]
                for other in before[1:]:
                    stack.append((other, (*tail, *path)))
                path.append(before[0])
            walked += 1
            reading = self._reading([*tail, *path][::-1])
            content = tuple(self.lines[start:stop] for start, stop in reading.gaps)
            readings.setdefault(content, reading)
        return tuple(readings.values())

    def _reading(self, path: Sequence[_Step]) -> Reading:
        first: dict[int, int] = {}
        last: dict[int, int] = {}
        added: list[int] = []
        lost: list[tuple[int, str]] = []
        for (node, at), (after, then) in zip(path, [*path[1:], path[-1]], strict=True):
            gap = self.gap[node]
            if gap is not None:
                first.setdefault(gap, at)
                last[gap] = then
            elif after == node and then == at + 1:
                added.append(at)
            elif after == node + 1 and (then == at or self.text[node] != self.lines[at]):
                lost.append((at, self.text[node] or ""))
                if then == at + 1:
                    added.append(at)
        return Reading(tuple((first[gap], last[gap]) for gap in range(self.gaps)), tuple(added), tuple(lost))

    def _rough(self) -> Alignment:
        """Match the clean lines alone, greedily, where the file is too different for the search."""
        clean: list[str] = []
        opens: list[int] = []
        for part in self.template:
            if isinstance(part, Gap):
                opens.append(len(clean))
            else:
                clean.extend(part)
        place = [0] * (len(clean) + 1)
        matched = [False] * len(clean)
        taken = set()
        for start, at, size in difflib.SequenceMatcher(
            a=clean, b=self.lines, autojunk=False
        ).get_matching_blocks():
            for number in range(size):
                matched[start + number] = True
                place[start + number] = at + number
                taken.add(at + number)
        end = len(self.lines)
        follows = [end] * (len(clean) + 1)
        for number in range(len(clean) - 1, -1, -1):
            follows[number] = place[number] if matched[number] else follows[number + 1]
        gaps: list[tuple[int, int]] = []
        for position in opens:
            before = next((n for n in range(position - 1, -1, -1) if matched[n]), None)
            start = 0 if before is None else place[before] + 1
            gaps.append((max(start, gaps[-1][1] if gaps else 0), follows[position]))
        inside = {line for start, stop in gaps for line in range(start, stop)}
        added = tuple(line for line in range(end) if line not in taken and line not in inside)
        lost = tuple((follows[n], clean[n]) for n in range(len(clean)) if not matched[n])
        return Alignment((Reading(tuple(gaps), added, lost),), _MOST_STATES, exact=False)
