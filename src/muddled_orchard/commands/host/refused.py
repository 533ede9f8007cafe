"""A request that is not answered as it was meant."""

from __future__ import annotations


class Refused(Exception):
    """A request that is not answered: the status of HTTP, and why, in words for the one who asked."""

    def __init__(self, status: int, why: str) -> None:
        super().__init__(why)
        self.status, self.why = status, why
