"""What of a hand-out a clone of its remote can't give, and what of the work a push or a bundle can't show."""

from __future__ import annotations

from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario


def beyond_a_clone(scenario: Scenario, history: History) -> tuple[str, ...]:
    """What learners are handed out that no clone has, in words: empty where a clone is enough. Of what a host
    serves the history is that before anything has arrived."""
    start = scenario.start
    own = any(history.remote.get(branch) != number for branch, number in history.tips.items())
    found = {
        "commits that are not pushed": bool(history.remote) and own,
        "a remote that has moved on": dict(history.tracked) != dict(history.remote),
        "a stash": bool(history.stashes),
        "an operation that has stopped": start.stopped,
        "work that is not committed": bool(start.write or start.stage),
        "patches beside the repository": any(task.patches for task in scenario.task),
    }
    return tuple(what for what, holds in found.items() if holds)


def needs_reflog(scenario: Scenario) -> bool:
    """Whether something is asked of which only a reflog tells: what is given up, or rebased."""
    return any(task.needs_reflog for task in scenario.task)


def lies_uncommitted(scenario: Scenario) -> bool:
    """Whether what is asked may lie in the working tree alone, where no push shows it."""
    return bool(scenario.start.work) or any(task.stays_uncommitted for task in scenario.task)


def beyond_a_bundle(scenario: Scenario) -> bool:
    """Whether a bundle, which holds commits alone, can't show all that is asked: it has no working tree, no
    reflog, no stash and no remote."""
    delivered = any(task.push for task in scenario.task)
    return needs_reflog(scenario) or lies_uncommitted(scenario) or delivered
