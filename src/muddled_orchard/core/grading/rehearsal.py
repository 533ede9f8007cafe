"""Rehearsing a scenario: what an acted learner must get, and where the verdict is another one.

`rehearsal.behaviours` says what somebody does and what must come of it; this module compares that with the
assessment and says what the whole rehearsal proves about the scenario.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.grading.assessment import Assessment, HunkResult, State
from muddled_orchard.core.grading.criteria import CRITERIA

RIGHT = "right"
"""The behaviour that solves everything by the key."""

_LOST = ("partly", "missed")
_Place = tuple[int, str | None, str, int | None]


class Kept(Struct, frozen=True):
    """What an actor did with one conflict: `words` are all those that describe it truly. The other fields
    are those of the `HunkResult` that must say so."""

    task: int
    commit: str | None
    file: str
    hunk: int | None
    words: frozenset[str]


class Expected(Struct, frozen=True, kw_only=True):
    """What a behaviour must get. A criterion that isn't named must be met or skipped.

    `lost` are the criteria that must cost points, `may` those that may, and of `some` at least one must.
    `or_open`: that nothing was attempted is as true, since nothing of what was asked came in. An untouched
    submission must have no points at all.
    """

    state: State = "finished"
    must_lose: frozenset[str] = frozenset()
    may_lose: frozenset[str] = frozenset()
    at_least_one: frozenset[str] = frozenset()
    kept: tuple[Kept, ...] = ()
    or_open: bool = False


class Acted(Struct, frozen=True, kw_only=True):
    """One behaviour acted out and graded. `surprises` say where the verdict is not the expected one;
    `repository` is where it was kept for a look, `variant` which one it was acted in."""

    behaviour: str
    said: str
    assessment: Assessment
    surprises: tuple[str, ...]
    repository: str | None = None
    variant: str = "0"


class Rehearsal(Struct, frozen=True, kw_only=True):
    """A whole scenario rehearsed, the behaviours in the order of their table, spread over its `variants`.
    `hunks` are the conflicts that a right solution meets."""

    exercise: str
    title: str
    variants: tuple[str, ...]
    acted: tuple[Acted, ...]
    hunks: tuple[HunkResult, ...]

    @property
    def surprising(self) -> tuple[Acted, ...]:
        """The behaviours with a verdict that was not to be expected."""
        return tuple(act for act in self.acted if act.surprises)

    @property
    def blind(self) -> tuple[str, ...]:
        """The criteria that are assessed here but can't tell right from wrong: no behaviour but idleness
        loses them."""
        told = {
            criterion.id
            for act in self.acted
            if act.assessment.points  # who did nothing of what was asked loses all of them
            for criterion in act.assessment.criteria
            if criterion.outcome.verdict in _LOST
        }
        return tuple(id_ for id_ in self.assessed if id_ not in told)

    @property
    def assessed(self) -> tuple[str, ...]:
        """The criteria that are part of this scenario."""
        part = {
            criterion.id
            for act in self.acted
            for criterion in act.assessment.criteria
            if criterion.outcome.verdict != "skipped"
        }
        return tuple(id_ for id_ in CRITERIA if id_ in part)

    @property
    def undistinguished(self) -> tuple[str, ...]:
        """The conflicts whose verdict is the same whichever sides are kept, in words."""
        if "resolution" not in self.assessed:
            return ()
        # A commit has another id in each variant; the step is the same.
        wrong: set[tuple[int, str, int | None]] = set()
        for act in self.acted:
            if act.assessment.state != "untouched":
                for hunk in act.assessment.hunks:
                    if hunk.outcome in _LOST and hunk.kept not in ("unresolved", "blend"):
                        # A file whose deletion is right has its hunks only where somebody kept it.
                        wrong |= {(hunk.step, hunk.file, hunk.hunk), (hunk.step, hunk.file, None)}
        return tuple(
            _in_words(_place(hunk)) for hunk in self.hunks if (hunk.step, hunk.file, hunk.hunk) not in wrong
        )


def _place(hunk: HunkResult) -> _Place:
    return (hunk.task, hunk.commit, hunk.file, hunk.hunk)


def _in_words(place: _Place) -> str:
    task, commit, file, hunk = place
    where = f"{file}, hunk {hunk}" if hunk else file
    return f"{where} (task {task}{f', {commit}' if commit else ''})"


def surprises(behaviour: str, expected: Expected, got: Assessment) -> Iterator[str]:
    """Every point in which a verdict is not the expected one, each as a sentence."""
    if expected.or_open and got.state == "open" != expected.state:
        return
    if got.state != expected.state:
        reason = f": {got.reason}" if got.reason else ""
        yield f"its state is {got.state}{reason}; {expected.state} was to be expected"
        return
    if expected.state == "untouched":
        if got.points:
            yield f"it has {got.points:g} points, though nothing was done"
        return
    outcomes = {criterion.id: criterion.outcome for criterion in got.criteria}
    for id_, outcome in outcomes.items():
        if id_ in expected.must_lose and outcome.verdict not in _LOST:
            yield f"{id_} is {outcome.verdict}, though it should cost points: {outcome.because}"
        allowed = expected.must_lose | expected.may_lose | expected.at_least_one
        if id_ not in allowed and outcome.verdict in _LOST:
            yield f"{id_} is {outcome.verdict}, though it should be met: {outcome.because}"
    if expected.at_least_one and not any(outcomes[id_].verdict in _LOST for id_ in expected.at_least_one):
        yield f"none of {listed(sorted(expected.at_least_one))} costs points"
    yield from _misread(expected.kept, got.hunks)
    if behaviour == RIGHT:
        yield from (f"it needs a look: {doubt}" for doubt in got.needs_a_look)


def _misread(acted: Sequence[Kept], hunks: Sequence[HunkResult]) -> Iterator[str]:
    """Where something else was read than what was kept."""
    read = {_place(hunk): hunk.kept for hunk in hunks}
    for kept in acted:
        place = (kept.task, kept.commit, kept.file, kept.hunk)
        if place not in read:
            yield f"{_in_words(place)} was resolved, but the result does not speak of it"
        elif read[place] not in kept.words:
            words = listed(sorted(kept.words))
            yield f"{_in_words(place)} was read as {read[place]}; what was kept there is {words}"
