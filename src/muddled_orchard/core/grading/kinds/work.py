"""What work finds."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import names_of


class NoWork(Kind, frozen=True):
    """Everything was committed when it was handed out."""

    said = "Everything was committed when it was handed out."


class WorkKept(Kind, frozen=True):
    """What was not committed is all there; `count` is of files."""

    count: int

    @property
    def said(self) -> str:
        return f"The work in {counted(self.count, 'file')} that was not committed is still there."


class WorkLost(Kind, frozen=True):
    """What was not committed is nowhere any more."""

    names: Sequence[str]
    count: int

    @property
    def said(self) -> str:
        return f"The work in {names_of(self.names, self.count)} was not committed, and is nowhere any more."
