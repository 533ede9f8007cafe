"""Roles: which tasks of an exercise are whose, where a team shares the repository."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.refs import is_on_remote, on_remote

ROLES = (1, 2)
"""The numbers of the roles."""


def has_roles(tasks: Sequence[Task]) -> bool:
    """Whether tasks are given out by role."""
    return any(task.role is not None for task in tasks)


def role_name(names: Sequence[str], role: int) -> str:
    """What a role is called, by the names of all: `role 1 (opens the branch)`."""
    name = names[role - 1] if role <= len(names) else ""
    return f"role {role} ({name})" if name else f"role {role}"


def names_of_roles(scenario: Scenario) -> tuple[str, ...]:
    """What the roles of a scenario are called, in order; none where they have no names."""
    return tuple(role.name for role in scenario.role)


def task_heading(scenario: Scenario, number: int) -> str:
    """What a task (by number, from 1) is called, with whose it is: `Task 2, role 2 (accepts)`."""
    role = scenario.task[number - 1].role
    return f"Task {number}" + (f", {role_name(names_of_roles(scenario), role)}" if role is not None else "")


def as_seen_by(role: int, tasks: Sequence[Task]) -> list[Task]:
    """Tasks as whoever has a role carries them out: what another role has left lies at the remote."""
    seen, theirs = [], set[str]()
    for task in tasks:
        if task.role != role:
            theirs.add(task.on)
        elif task.source in theirs and not is_on_remote(task.source):
            task = task.brings(on_remote(task.source))  # noqa: PLW2901 - the same task, elsewhere
        seen.append(task)
    return seen


def misfits_of_roles(scenario: Scenario) -> Iterator[Problem]:
    """What is wrong with the roles of a scenario."""
    asked = [task.role for task in scenario.task]
    if scenario.role and not has_roles(scenario.task):
        what = "there are roles, and no task says which is whose"
        yield Problem(what, "Give each task role = 1 or role = 2.", ("role",))
        return
    if not has_roles(scenario.task):
        return
    for number, its in enumerate(asked):
        if its is None:
            what = f"task {number + 1} has no role, and others have"
            yield Problem(what, "Give it role = 1 or role = 2.", ("task", number))
    for role in ROLES:
        if role not in asked and None not in asked:
            yield Problem(
                f"no task has role = {role}", "Leave role out where one does all.", ("task", 0, "role")
            )
    if scenario.role and len(scenario.role) != len(ROLES):
        what = f"there are two roles, and {len(scenario.role)} [[role]]"
        yield Problem(what, "Write one for each, or none.", ("role",))
    if scenario.start.stopped or scenario.start.work:
        what = "a team works in clones, which have no operation under way and no uncommitted work"
        yield Problem(what, "Leave it out of [start], or role.", ("start",))
