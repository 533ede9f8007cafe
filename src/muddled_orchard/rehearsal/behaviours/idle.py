"""What is done in place of what was asked: nothing, or something that has nothing to do with it."""

from __future__ import annotations

from collections.abc import Callable

from muddled_orchard.core.git.refs import on_remote
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.rehearsal.behaviours.expecting import UNTOUCHED
from muddled_orchard.rehearsal.session import LearnerSession


def never_started(_: LearnerSession) -> Expected:
    """Nothing at all."""
    return UNTOUCHED


def nothing_fetched(session: LearnerSession) -> Expected:
    """Merge what was fetched some time ago."""
    task = session.scenario.task[0]
    session.git("checkout", "-q", task.on)
    session.try_git("merge", "-q", task.source)
    return UNTOUCHED


def unrelated(change: Callable[[LearnerSession], None], session: LearnerSession) -> Expected:
    """Do something that has nothing to do with what was asked, and leave."""
    change(session)
    may = "markers history resolution rest rules delivered message"
    return Expected(
        state="open", must_lose=frozenset({"finished", "bystanders", "tidy"}), may_lose=frozenset(may.split())
    )


def other_work(session: LearnerSession) -> None:
    """Commit a file that nobody asked for."""
    session.git("checkout", "-q", session.scenario.task[0].on)
    session.write("lunch-list.txt", b"Bread, and what is left of the cheese.\n")
    session.git("add", "--all")
    session.git("commit", "-q", "-m", "Make a list for lunch")


def other_message(session: LearnerSession) -> None:
    """Give the newest handed-out commit another message."""
    session.git("checkout", "-q", session.scenario.task[0].on)
    session.git("commit", "-q", "--amend", "-m", "Say it otherwise")


def gave_up_when_refused(session: LearnerSession) -> Expected:
    """Push, and let it be where Git refuses that since somebody was first."""
    session.try_git("push", "-q", "origin", session.scenario.task[0].on)
    return UNTOUCHED


def pushed_over(session: LearnerSession) -> None:
    """Push by force over what somebody else has pushed, and do nothing else."""
    session.git("push", "-q", "--force", "origin", session.scenario.task[0].on)


def can_push_over(key: Key) -> bool:
    """Where the first task brings in what somebody else has pushed to a branch, and pushes there."""
    task = key.scenario.task[0]
    return task.push and task.source == on_remote(task.on)


def begins_at_rest(key: Key) -> bool:
    """Where nothing is under way at the start."""
    return not key.scenario.start.stopped
