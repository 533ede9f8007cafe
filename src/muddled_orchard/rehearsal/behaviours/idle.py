"""What is done in place of what was asked: nothing, or something that has nothing to do with it."""

from __future__ import annotations

from collections.abc import Callable

from muddled_orchard.core.exercise.tasks import source_of
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.rehearsal.behaviours.expecting import UNTOUCHED
from muddled_orchard.rehearsal.session import Desk


def never_started(_: Desk) -> Expected:
    """Nothing at all."""
    return UNTOUCHED


def nothing_fetched(desk: Desk) -> Expected:
    """Merge what was fetched some time ago."""
    task = desk.scenario.task[0]
    desk.git("checkout", "-q", task.on)
    desk.try_git("merge", "-q", source_of(task) or "")
    return UNTOUCHED


def unrelated(change: Callable[[Desk], None], desk: Desk) -> Expected:
    """Do something that has nothing to do with what was asked, and leave."""
    change(desk)
    may = "markers history resolution rest rules delivered"
    return Expected(
        state="open", lost=frozenset({"finished", "bystanders", "tidy"}), may=frozenset(may.split())
    )


def other_work(desk: Desk) -> None:
    """Commit a file that nobody asked for."""
    desk.git("checkout", "-q", desk.scenario.task[0].on)
    desk.write("lunch-list.txt", b"Bread, and what is left of the cheese.\n")
    desk.git("add", "--all")
    desk.git("commit", "-q", "-m", "Make a list for lunch")


def other_message(desk: Desk) -> None:
    """Give the newest handed-out commit another message."""
    desk.git("checkout", "-q", desk.scenario.task[0].on)
    desk.git("commit", "-q", "--amend", "-m", "Say it otherwise")


def pushed_over(desk: Desk) -> None:
    """Push by force over what somebody else has pushed, and do nothing else."""
    desk.git("push", "-q", "--force", "origin", desk.scenario.task[0].on)


def can_push_over(key: Key) -> bool:
    """Where the first task pulls, and pushes."""
    task = key.scenario.task[0]
    return task.do == "pull" and task.push


def begins_at_rest(key: Key) -> bool:
    """Where nothing is under way at the start."""
    return not key.scenario.start.stopped
