"""Give those of a team their roles in what they share."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from muddled_orchard.classroom.making import Exercise
from muddled_orchard.core.course.plan import RolesGiven
from muddled_orchard.core.course.teams import roles_of
from muddled_orchard.core.exercise.roles import has_roles
from muddled_orchard.files.course.ledger import Ledger


def give_roles(ledger: Ledger, exercises: Iterable[Exercise], given: Mapping[str, RolesGiven]) -> None:
    """Give a role to everybody of a team who has none, in what was handed out of these exercises; `given`
    says how, by their ids."""
    with_roles = {one.scenario.id for one in exercises if has_roles(one.scenario.task)}
    new = {
        (learner, exercise, variant): role
        for (exercise, variant), team in (ledger.teams().items() if with_roles else ())
        if exercise in with_roles
        for learner, role in roles_of(team, given.get(exercise, "roster")).items()
    }
    if new:
        ledger.give_roles(new)
