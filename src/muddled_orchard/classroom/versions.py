"""Which version of a scenario a hand-out is graded by: the newest that still hands out the same."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING

from msgspec import Struct, field

from muddled_orchard.core.base.phrases import be, counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.exercise.changed_story import first_change
from muddled_orchard.core.exercise.claim import ExerciseVariant
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.stored import Damaged, digest_of, scenario_of, scenario_text

if TYPE_CHECKING:
    from muddled_orchard.files.course.ledger import Ledger


class Mended(Struct, frozen=True):
    """A scenario that was changed since it was handed out: the versions before it whose hand-outs are graded
    by it as well, how many hand-outs these are, and what differs first in what others were handed out (empty:
    there are none)."""

    exercise: str
    before: tuple[str, ...]
    hand_outs: int
    other: str

    @property
    def said(self) -> str:
        """What is told of it."""
        if not self.before:
            graded = "all is graded as it was handed out"
            other = f"{self.exercise} was changed, and would hand out something else now: {self.other}"
            return f"{other}. So {graded}."
        graded = f"{counted(self.hand_outs, 'hand-out')} {be(self.hand_outs)} graded by it from now on"
        return f"{self.exercise} was changed, and hands out what it did: {graded}."


def mended(
    ledger: Ledger, hand_outs: Iterable[HandOut], scenario: Scenario, digest: str, variants: Variants
) -> Mended | None:
    """What became of the hand-outs of a scenario with this version of it; None where all are graded by this
    one already. Raises BadInput where a version in the ledger can't be read."""
    codes: dict[str, list[str]] = {}
    for hand_out in hand_outs:
        if hand_out.exercise == scenario.id and hand_out.scenario != digest:
            codes.setdefault(hand_out.scenario, []).append(hand_out.variant)
    if not codes:
        return None
    changes = {
        version: first_change(Variants(kept_version(ledger, version)), variants, of)
        for version, of in codes.items()
    }
    fitting = tuple(version for version, change in changes.items() if not change)
    count = sum(len(codes[version]) for version in fitting)
    return Mended(scenario.id, fitting, count, next(filter(None, changes.values()), ""))


def kept_version(ledger: Ledger, digest: str) -> Scenario:
    """A version of a scenario that a ledger keeps. Raises BadInput where it can't be read."""
    try:
        return scenario_of(ledger.version(digest) or "")
    except Damaged:
        hint = "Take a copy of it from before, or name the scenarios with --scenarios and another --ledger."
        what = "a scenario in this ledger is damaged"
        raise BadInput(Problem(what, hint, file=str(ledger.path))) from None


class Scenarios(Struct):
    """The scenarios that a run grades by: what was handed out by its newest version, other work by what was
    named, then by the ledger's, then by the bundled ones. `passed_over`: what was
    named and would hand out something else than was handed out."""

    library: ScenarioLibrary
    passed_over: tuple[Mended, ...] = ()
    _newest: dict[str, str] = field(default_factory=dict)
    _others: dict[ExerciseVariant, str] = field(default_factory=dict)
    _kept: dict[str, Scenario] = field(default_factory=dict)
    _mended: tuple[Mended, ...] = ()
    _digests: dict[str, str] = field(default_factory=dict)

    def find(self, hand_out: ExerciseVariant) -> Scenario | None:
        """The scenario that a hand-out is graded by, or None."""
        kept = self._others.get(hand_out) or self._newest.get(hand_out.exercise)
        if kept is not None:
            return self._kept[kept]
        return self.library.given(hand_out.exercise) or self.library.find(hand_out.exercise)

    def digest(self, hand_out: ExerciseVariant) -> str:
        """What tells the version that it is graded by from others; empty without a scenario."""
        kept = self._others.get(hand_out) or self._newest.get(hand_out.exercise)
        if kept is not None:
            return kept
        if hand_out.exercise not in self._digests:
            scenario = self.find(hand_out)
            self._digests[hand_out.exercise] = digest_of(scenario) if scenario else ""
        return self._digests[hand_out.exercise]

    def texts(self) -> Mapping[str, str]:
        """The texts of those that aren't bundled, by id, as far as they were named or handed out."""
        found = {id_: self.library.given(id_) for id_ in self.library.given_ids()}
        found |= {id_: self._kept[digest] for id_, digest in self._newest.items()}
        return {id_: scenario_text(scenario) for id_, scenario in found.items() if scenario is not None}

    def other_texts(self) -> Mapping[ExerciseVariant, str]:
        """The texts of those that some hand-outs alone are graded by."""
        return {hand_out: scenario_text(self._kept[digest]) for hand_out, digest in self._others.items()}

    def keep_in(self, ledger: Ledger) -> None:
        """Keep the versions that are graded by and that the ledger has not yet."""
        for one in self._mended:
            newer = self._newest[one.exercise]
            keep_version(ledger, self._kept[newer], newer)


def scenarios_of_run(
    library: ScenarioLibrary, ledger: Ledger | None, hand_outs: Iterable[HandOut]
) -> Scenarios:
    """What a run grades by. Raises BadInput where a version in the ledger can't be read."""
    if ledger is None:
        return Scenarios(library)
    versions: dict[str, dict[str, list[HandOut]]] = {}
    for hand_out in hand_outs:
        versions.setdefault(hand_out.exercise, {}).setdefault(hand_out.scenario, []).append(hand_out)
    newest: dict[str, str] = {}
    others: dict[ExerciseVariant, str] = {}
    kept: dict[str, Scenario] = {}
    changed: list[Mended] = []
    passed_over: list[Mended] = []
    for exercise, by_version in versions.items():
        left = dict(by_version)
        newest[exercise] = max(left, key=lambda digest: max(one.made for one in left[digest]))
        given = library.given(exercise)
        if given is not None:
            digest = digest_of(given)
            all_of_it = [one for several in left.values() for one in several]
            found = mended(ledger, all_of_it, given, digest, Variants(given))
            if found is not None:
                changed.append(found)
                left = {one: several for one, several in left.items() if one not in found.before}
            if found is None or found.before or digest in by_version:
                newest[exercise], kept[digest] = digest, given
                left.pop(digest, None)
            elif found.other:
                passed_over.append(found)
        for version, several in left.items():
            kept[version] = kept_version(ledger, version)
            if version != newest[exercise]:
                own = {ExerciseVariant(exercise, one.variant): version for one in several}
                others |= own
    return Scenarios(
        library,
        tuple(passed_over),
        newest,
        others,
        kept,
        tuple(one for one in changed if one.before),
    )


def keep_version(ledger: Ledger, scenario: Scenario, digest: str) -> None:
    """Keep a version's text, so that what is graded by it can always be looked up."""
    ledger.add_scenario(digest, scenario.id, scenario.title, scenario_text(scenario))
