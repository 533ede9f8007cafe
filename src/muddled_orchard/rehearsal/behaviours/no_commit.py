"""What learners do where an operation is to be given up again, or a branch to be set back."""

from __future__ import annotations

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.rehearsal.behaviours.expecting import expect, makes_commit
from muddled_orchard.rehearsal.session import LearnerSession, StopsWorking

_REST = "markers resolution rest rules delivered bystanders tidy message"


def _number(key: Key) -> int | None:
    """The last task of which no new commit is to be left."""
    found = [step.task for step in key.steps if not makes_commit(step)]
    return found[-1] if found else None


def gives_up(key: Key) -> bool:
    """Where an operation is to be given up, by the learner who begins it."""
    number = _number(key)
    begun = key.scenario.start.stopped and number == 1
    return number is not None and not begun and key.scenario.task[number - 1].abort


def gives_up_last(key: Key) -> bool:
    """Where that is the last task."""
    return gives_up(key) and _number(key) == len(key.scenario.task)


def sets_back_last(key: Key) -> bool:
    """Where a branch is to be set back at last."""
    return key.scenario.task[-1].sets_back and len(key.scenario.task) == 1


def left_at_conflict(session: LearnerSession) -> Expected:
    """Begin, meet the conflict, and leave it there."""

    def begin(session: LearnerSession, task: Task) -> None:
        session.begin(task)
        raise StopsWorking

    session.carry_out(instead=begin, at=_number(session.key))
    return expect(session, "finished history", _REST, state="open")


def carried_out(session: LearnerSession) -> Expected:
    """Go through with what was to be given up."""

    def through(session: LearnerSession, task: Task) -> None:
        session.begin(task)
        for _ in range(8):
            if not session.unmerged():
                break
            session.try_git("checkout", "-q", "--theirs", "--", ".")
            session.git("add", "--all")
            session.try_git(*task.go_on())

    session.carry_out(instead=through, at=_number(session.key))
    return expect(session, "history", f"finished {_REST}")


def never_begun(session: LearnerSession) -> Expected:
    """Do all else, and not that."""
    session.carry_out(instead=lambda _session, _task: None, at=_number(session.key))
    return expect(session, "history finished", _REST, state="open")


def undone_instead(session: LearnerSession) -> Expected:
    """Undo by a further commit what was to be taken out of the branch."""
    task = session.scenario.task[-1]
    session.git("checkout", "-q", task.on)
    session.git("read-tree", "-u", "--reset", session.labels[task.labels[0]])
    session.git("commit", "-q", "--allow-empty", "-m", "Go back to what there was")
    return expect(session, "history", "bystanders rest rules")


def softly(session: LearnerSession) -> Expected:
    """Set the branch back, and leave the files as they were."""
    task = session.scenario.task[-1]
    session.git("checkout", "-q", task.on)
    session.git("reset", "-q", "--soft", session.labels[task.labels[0]])
    return expect(session, "tidy", "rest rules markers")
