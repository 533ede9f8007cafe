"""What learners do with work that is not committed, and in the way of what they are asked."""

from __future__ import annotations

from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.rehearsal.behaviours.expecting import expect
from muddled_orchard.rehearsal.session import LearnerSession


def has_work(key: Key) -> bool:
    """Where work is handed out that is not committed."""
    return bool(key.scenario.start.work)


def stashed(session: LearnerSession) -> Expected:
    """Put it aside, do what is asked, and bring it back."""
    session.git("stash", "-q", "-u")
    session.carry_out()
    session.try_git("checkout", "-q", session.key.history.checked_out)
    session.try_git("stash", "pop", "-q")
    return expect(session, "", "tidy")


def left_in_the_stash(session: LearnerSession) -> Expected:
    """Put it aside, and leave it there."""
    session.git("stash", "-q", "-u")
    session.carry_out()
    return expect(session)


def thrown_away(session: LearnerSession) -> Expected:
    """Throw it away, so that nothing is in the way any more."""
    session.git("reset", "-q", "--hard")
    session.git("clean", "-fdq")
    session.carry_out()
    return expect(session, "work")
