"""What finished finds."""

from __future__ import annotations

from typing import Literal

from muddled_orchard.core.base.phrases import be, was
from muddled_orchard.core.git.under_way import UNDER_WAY
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import names_of, unfinished


class NotInBundle(Kind, frozen=True):
    """A bundle can't show this."""

    what: Literal["pending", "working tree"]

    @property
    def said(self) -> str:
        what = {
            "pending": "whether anything is still pending",
            "working tree": "the working tree and what is checked out",
        }[self.what]
        return f"A bundle holds commits alone: {what} can't be seen."


class NotShownHere(Kind, frozen=True):
    """Commits alone can't show whether what is asked was done."""

    said = "Commits alone can't show whether this was done: it takes the whole folder, with the working tree."


class Unmerged(Kind, frozen=True):
    """Paths are unmerged; `resolved`: none of them has markers any more."""

    under_way: str | None
    names: tuple[str, ...]
    count: int
    resolved: bool

    @property
    def said(self) -> str:
        begun = unfinished(self.under_way)
        names, count = names_of(self.names, self.count), self.count
        if self.resolved:
            return f"{begun}: {names} {be(count)} resolved, but {was(count)} never staged with git add."
        return f"{begun}: {names} {be(count)} still unmerged."


class NotLeft(Kind, frozen=True):
    """An operation is under way that was to be given up."""

    under_way: str

    @property
    def said(self) -> str:
        name, back = UNDER_WAY[self.under_way].name, " ".join(UNDER_WAY[self.under_way].give_up)
        return f"{name[0].upper()}{name[1:]} is still under way, and was to be given up ({back})."


class NotCompleted(Kind, frozen=True):
    """An operation is under way, with nothing unmerged."""

    under_way: str

    @property
    def said(self) -> str:
        return f"{unfinished(self.under_way)}: nothing is unmerged any more, but it was not completed."


class NotCommitted(Kind, frozen=True):
    """Files were changed by hand, and nothing was committed."""

    names: tuple[str, ...]
    count: int

    @property
    def said(self) -> str:
        return f"{names_of(self.names, self.count)} {was(self.count)} changed, but nothing was committed."


class NotDone(Kind, frozen=True):
    """Tasks that were not done, in their operations' words."""

    names: tuple[str, ...]
    count: int
    tasks: int

    @property
    def said(self) -> str:
        names, done = names_of(self.names, self.count), self.tasks - self.count
        if self.tasks == 1:
            return f"It was not done: {names}."
        return f"{done} of {self.tasks} tasks {be(done)} done; still to do: {names}."


class NothingPending(Kind, frozen=True):
    """Everything came to its end; `committed`: there was something to commit."""

    committed: bool

    @property
    def said(self) -> str:
        return "Nothing is pending, and the result is committed." if self.committed else "Nothing is pending."
