"""Teams: who shares a repository on a host, in whose place it lies, and who has which role."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.plan import RolesGiven
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner

_REPOSITORY = ".git"


def whose_repository(learner: str, team: str, had: HandOut | None, learners: Iterable[Learner]) -> str:
    """In whose place (their id) the repository of a learner lies that a host serves: in their own, or in that
    of the first one of their team. `had` is what they were handed out before: it stays where it was."""
    if not team:
        return learner
    if had is not None and had.file.endswith(_REPOSITORY):
        return had.file.rpartition("/")[2].removesuffix(_REPOSITORY)
    return next((other.id for other in learners if other.team == team), learner)


def roles_of(team: Sequence[str], given: RolesGiven) -> dict[str, int]:
    """The roles (1 or 2) of those of a team, in the order of the roster; none where they choose them."""
    first = {"roster": 0, "swapped": 1}.get(given)
    return {} if first is None else {one: (place + first) % 2 + 1 for place, one in enumerate(team)}


def roles_after(team: Sequence[str], had: Mapping[str, int], learner: str, role: int) -> dict[str, int]:
    """The roles of a team when one of them has chosen theirs: who is the last one without gets the role that
    nobody has. Raises BadInput where the learner has one, or nobody would be left for the other one."""
    if learner in had:
        raise BadInput(Problem("you have a role already", "Agree with your team who does what."))
    roles = {**had, learner: role}
    without = [one for one in team if one not in roles]
    other = 3 - role
    if other not in roles.values():
        if not without:
            raise BadInput(Problem(f"role {other} has nobody yet, and you are the last", "Take that one."))
        if len(without) == 1:
            roles[without[0]] = other
    return roles
