"""The tasks of an exercise that a team has given out among itself: whose each is, and whose turn it is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime

from msgspec import Struct

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.exercise.asked import told_to_learners
from muddled_orchard.core.exercise.roles import has_roles, names_of_roles, role_name
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.shared_work import Member


class SharedTask(Struct, frozen=True):
    """A task (by number, from 1) in words, with the role that it belongs to and what that is called, the
    names of those who have it (none: nobody yet), whether it is done, and whether it comes next."""

    number: int
    said: str
    role: int
    called: str
    whose: tuple[str, ...]
    done: bool
    next: bool


def shared_tasks(
    scenario: Scenario, subjects: Mapping[str, str], newest: Assessment | None, team: Sequence[Member]
) -> list[SharedTask]:
    """The tasks in order, none where they are not given out; `newest` is what was last found of the work
    (None: nothing yet), `subjects` are those of labelled commits."""
    if not has_roles(scenario.task) or not team:
        return []
    names = names_of_roles(scenario)
    parts = newest.parts if newest is not None else ()  # of what can't be read there are none
    open_ = {number for part in parts for number in part.open}
    tasks: list[SharedTask] = []
    for number, task in enumerate(scenario.task, start=1):
        done = bool(parts) and number not in open_
        role = task.role or 0
        whose = tuple(one.name for one in team if one.role == role)
        come = not done and all(before.done for before in tasks)
        said = told_to_learners(task, subjects)
        tasks.append(SharedTask(number, said, role, role_name(names, role), whose, done, come))
    return tasks


def turn_told(tasks: Sequence[SharedTask], since: float | None) -> str:
    """Whose turn it is, in a few words, and since when (in seconds since 1970); empty where all is done."""
    turn = next((task for task in tasks if task.next), None)
    if turn is None:
        return ""
    whose = listed(turn.whose) if turn.whose else "nobody yet"
    at = "" if since is None else f", since {datetime.fromtimestamp(since, UTC).astimezone():%H:%M}"
    return f"next: {whose}, {turn.called}{at}"


def own_part_told(tasks: Sequence[SharedTask], role: int) -> Iterator[str]:
    """That a role's own tasks are done, and who comes next, for whoever has just pushed."""
    own = [task for task in tasks if task.role == role]
    turn = next((task for task in tasks if task.next), None)
    if own and all(task.done for task in own) and turn is not None:
        whose = f"{listed(turn.whose)}'s turn now" if turn.whose else "the turn of whoever takes it now"
        yield f"What is yours is done. It is {whose}: {turn.said}."


def told_to(tasks: Sequence[SharedTask], role: int) -> Iterator[str]:
    """How far all is, a sentence a task, for whoever has a role (0: none yet)."""
    for task in tasks:
        yours = task.role == role
        whose = "Yours" if yours else f"{listed(task.whose)}'s" if task.whose else "Nobody's yet"
        if task.done:
            state = "done"
        elif task.next:
            state = "it is your turn" if yours else "it comes next"
        else:
            state = "it waits for what comes before"
        yield f"{task.said[:1].upper()}{task.said[1:]}. {whose}: {state}."
