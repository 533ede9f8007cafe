"""Whose marks change where work is graded again: with another key, other weights, or another version."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from msgspec import Struct

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.settling import full_name


class Part(Struct, frozen=True):
    """A criterion or a conflict that is judged otherwise: what it is, and how it was and is, in words."""

    what: str
    before: str
    after: str


class MarkChange(Struct, frozen=True, kw_only=True):
    """A submission whose mark changes, in percent as it counts; `parts` is by what, `why` what was
    changed."""

    submission: str
    learner: str
    exercise: str
    before: float
    after: float
    parts: tuple[Part, ...]
    why: str

    @property
    def said(self) -> str:
        """By what, in words."""
        shown = [f"{part.what}: {part.before} -> {part.after}" for part in self.parts]
        return listed(shown, 4) if shown else "its weights"


def in_order_of_size(changes: Iterable[MarkChange]) -> list[MarkChange]:
    """The largest change first."""
    return sorted(
        changes, key=lambda change: (-abs(change.after - change.before), change.learner, change.exercise)
    )


def mark_change(collected: Collected) -> MarkChange | None:
    """The change of a submission whose mark or verdicts are not what they were when the same work was last
    graded; None of any other."""
    before, after = collected.before, collected.assessment
    if before is None:
        return None
    parts = tuple(_parts(before.assessment, after))
    if before.assessment.percent == after.percent and not parts:
        return None
    return MarkChange(
        submission=collected.submission,
        learner=collected.learner,
        exercise=after.exercise or before.assessment.exercise,
        before=before.assessment.percent,
        after=after.percent,
        parts=parts,
        why=before.why,
    )


def _parts(before: Assessment, after: Assessment) -> Iterator[Part]:
    """Conflicts that are judged otherwise, then the criteria; the one that conflicts make up is told by
    them."""
    conflicts = list(_otherwise(_conflicts(before), _conflicts(after)))
    yield from conflicts
    criteria = _otherwise(_criteria(before), _criteria(after))
    yield from (part for part in criteria if not (conflicts and part.what == "resolution"))


def _otherwise(before: Mapping[str, str], after: Mapping[str, str]) -> Iterator[Part]:
    for what in dict.fromkeys((*before, *after)):
        was, now = before.get(what, "not judged"), after.get(what, "not judged")
        if was != now:
            yield Part(what, was, now)


def _conflicts(assessment: Assessment) -> dict[str, str]:
    return {
        full_name(hunk).removesuffix("@1"): f"{100 * hunk.worth:.3g} %"
        for hunk in assessment.hunks
        if hunk.outcome != "skipped"
    }


def _criteria(assessment: Assessment) -> dict[str, str]:
    return {
        criterion.id: f"{criterion.points:g} of {criterion.possible:g}"
        for criterion in assessment.criteria
        if criterion.possible
    }


def summed(changes: Iterable[MarkChange], graded: int) -> str:
    """How many change, and in which direction, in a sentence."""
    changes = list(changes)
    up = sum(change.after > change.before for change in changes)
    down = sum(change.after < change.before for change in changes)
    if not changes:
        return f"No mark changes: {counted(graded, 'submission')} compared with the newest grading of each."
    parts = [f"{up} up", f"{down} down"]
    parts += [f"{len(changes) - up - down} in parts alone"] if up + down < len(changes) else []
    return f"{len(changes)} of {counted(graded, 'submission')} change: {', '.join(parts)}."
