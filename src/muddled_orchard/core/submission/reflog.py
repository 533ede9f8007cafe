"""What HEAD's reflog says of how somebody worked."""

from __future__ import annotations

from muddled_orchard.core.submission.evidence import Evidence


def given_up(evidence: Evidence) -> tuple[int, int]:
    """How many rebases were aborted and how often it was reset to HEAD, as far as the reflog says so. The
    abort of a merge is a reset to HEAD there, and so is what leaves no other trace."""
    return _ended(evidence, "rebase (abort)"), _ended(evidence, "reset: moving to HEAD")


def begun_and_left(evidence: Evidence) -> tuple[int, int]:
    """How many rebases were aborted, and how often HEAD was reset to where it stood: the abort of any other
    operation is that."""
    return _ended(evidence, "rebase (abort)"), _ended(evidence, "reset: moving to ")


def _ended(evidence: Evidence, what: str) -> int:
    """How many lines of the reflog begin so and lead back to where an operation was begun."""
    return sum(
        move.what.startswith(what) and move.new == _before(evidence, number)
        for number, move in enumerate(evidence.reflog)
    )


def _before(evidence: Evidence, number: int) -> str:
    """Where HEAD stood when the operation that a line ends was begun."""
    at = number
    while at > 0 and evidence.reflog[at - 1].what.startswith("rebase"):
        at -= 1
    return evidence.reflog[at].old
