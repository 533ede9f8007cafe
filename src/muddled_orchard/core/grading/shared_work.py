"""A work that a team shares, as it counts for one of them: each has the criteria of their own tasks, and all
have the others."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.git.commits import name_of
from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, Outcome, RolePart
from muddled_orchard.core.grading.finding import Finding, Kind, kept
from muddled_orchard.core.grading.kinds.roles import DidAnothersTasks, DoneByAnother, NobodyShownToHaveDone


class Member(Struct, frozen=True):
    """One of a team: their id and name, and the number of their role (0: none; all of it is theirs)."""

    id: str
    name: str
    role: int = 0


def share_of(assessment: Assessment, learner: str, team: Sequence[Member]) -> Assessment:
    """The assessment of a team's work as it counts for one of them (by id): with the criteria of tasks as
    their own tasks alone are judged, without the conflicts of others. Who did a task is said by who pushed
    it, where a host has seen that, else by its commits. The whole of it for whoever has no role."""
    if assessment.role:
        return assessment  # it is somebody's share already
    own = next((one.role for one in team if one.id == learner), 0)
    part = next((part for part in assessment.parts if part.role == own), None)
    if part is None:
        return assessment
    doers = doers_of(part, team)
    by_others = doers and not any(one.role in (own, 0) for one in doers)
    judged = {criterion.id: criterion for criterion in part.criteria}
    if by_others:
        found = DoneByAnother(part.name, tuple(one.name for one in doers))
        judged = {id_: _earning_nothing(criterion, kept(found)) for id_, criterion in judged.items()}
    worked = [*assessment.worked, *(kept(kind) for kind in _told(assessment.parts, own, learner, team))]
    return replace(
        assessment,
        criteria=tuple(judged.get(criterion.id, criterion) for criterion in assessment.criteria),
        hunks=tuple(hunk for hunk in assessment.hunks if hunk.task in part.tasks),
        unmet=part.unmet,
        conflicts_weight=part.conflicts_weight,
        worked=tuple(worked),
        role=own,
    )


def doers_of(part: RolePart, team: Iterable[Member]) -> list[Member]:
    """Who of a team did a part, as far as that is known."""
    return [one for one in team if one.id in part.pushed_by or (not part.pushed_by and _made(part, one))]


def _made(part: RolePart, one: Member) -> bool:
    names = {one.name.casefold(), one.id.casefold()}
    for maker in part.makers:
        address = maker[len(name_of(maker)) :].strip(" <>").casefold()
        if {name_of(maker).casefold(), address, address.partition("@")[0]} & names:
            return True
    return False


def _told(parts: Iterable[RolePart], own: int, learner: str, team: Sequence[Member]) -> Iterator[Kind]:
    """What is worth telling of who did what."""
    for part in parts:
        doers = doers_of(part, team)
        if not part.commits:
            continue
        if not doers and part.role == own:
            yield NobodyShownToHaveDone(part.name)
        if part.role != own and learner in [one.id for one in doers]:
            yield DidAnothersTasks(part.name)


def _earning_nothing(criterion: CriterionResult, found: Finding) -> CriterionResult:
    if criterion.outcome.verdict == "skipped":
        return criterion
    outcome = Outcome(verdict="missed", findings=(found,), where=criterion.outcome.where)
    return replace(criterion, outcome=outcome, points=0.0)
