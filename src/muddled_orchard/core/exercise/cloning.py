"""What of a hand-out a clone of its remote repository can't give."""

from __future__ import annotations

from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario


def beyond_a_clone(scenario: Scenario, history: History) -> tuple[str, ...]:
    """What learners are handed out that no clone has, in words: empty where a clone is enough."""
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
