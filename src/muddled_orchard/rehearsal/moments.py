"""What teammates push while somebody acts: the remote of a practice folder as a host has it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from muddled_orchard.core.exercise.arriving import FIRST_FETCH, FIRST_PUSH, Service, coming_of, is_due
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.vcs.arriving import arrive
from muddled_orchard.vcs.ask import git

_ASKING: dict[str, Service] = {"push": "push", "fetch": "fetch", "pull": "fetch"}


class Moments:
    """Has what an exercise has arrive come to `origin` at its moment, as a host does: when Git is about to
    ask for its refs.

    What comes once that was fetched, or after a task, is there from the start: a key merges it all at once.
    """

    def __init__(self, origin: Path, key: Key) -> None:
        coming = coming_of(key.scenario, key.history, dict(enumerate(key.ids)))
        live = all(one.arrival.when in (FIRST_PUSH, FIRST_FETCH) for one in coming)
        self._origin, self._waiting = origin, list(coming) if live else []
        for one in reversed(self._waiting):
            git.run(("update-ref", one.branch, one.before), folder=origin)

    def before(self, words: Sequence[str]) -> None:
        """A command is about to be typed: what is due then arrives."""
        service = next((_ASKING[word] for word in words if word in _ASKING), None)
        if service is not None:
            self._arrive(service)

    def end(self) -> None:
        """Nobody types any more: whoever never asked still has a teammate who pushes."""
        for one in self._waiting:
            arrive(self._origin, one)

    def _arrive(self, service: Service) -> None:
        due = [one for one in self._waiting if is_due(one.arrival, service, had=True, fetched=False)]
        for one in due:
            arrive(self._origin, one)
            self._waiting.remove(one)
