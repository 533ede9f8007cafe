"""The time by which a host goes: it never goes back, so what was open or due stays so."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta

_NOTABLE = timedelta(seconds=30)


class Clock:
    """The time in UTC. Where the machine's clock is set back, it stands still until that has caught up, and
    `told` is called once with how far it was set back."""

    def __init__(
        self,
        told: Callable[[timedelta], None] = lambda _: None,
        read: Callable[[], datetime] = lambda: datetime.now(UTC),
    ) -> None:
        self._told, self._read = told, read
        self._newest = read()
        self._is_told = False

    def now(self) -> datetime:
        """The time."""
        read = self._read()
        if read >= self._newest:
            self._newest, self._is_told = read, False
        elif self._newest - read > _NOTABLE and not self._is_told:
            self._is_told = True
            self._told(self._newest - read)
        return self._newest
