"""What was done at all."""

from __future__ import annotations

from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import given_up_in_words


class Said(Kind, frozen=True):
    """Something that is in words already: an author's, or a hint."""

    text: str

    @property
    def said(self) -> str:
        return self.text


class NothingAttempted(Kind, frozen=True):
    """The repository is as it was handed out; what was begun meanwhile was given up. `own`: it has the first
    commit alone, with which its learner began."""

    rebases: int = 0
    resets: int = 0
    patches: int = 0
    own: bool = False

    @property
    def said(self) -> str:
        if self.own:
            return "Nothing comes after the first commit on its branch."
        given_up = given_up_in_words(self.rebases, self.resets, self.patches)
        if not given_up:
            return "Nothing was attempted; the repository is as it was handed out."
        return f"{given_up[0].upper()}{given_up[1:]}; the repository is as it was handed out."


class GivenUp(Kind, frozen=True):
    """What was under way when it was handed out was given up."""

    said = "What was under way was given up, and nothing else was begun."


class NothingAsked(Kind, frozen=True):
    """Something was done, and nothing of what was asked; `under_way` is what Git has begun."""

    under_way: str | None = None

    @property
    def said(self) -> str:
        under_way = f" A {self.under_way} is under way that was not asked for." if self.under_way else ""
        return f"Nothing of what was asked is there.{under_way}"


class StashDropped(Kind, frozen=True):
    """The stash was thrown away instead of being popped."""

    said = "The stash was thrown away (git stash drop) instead of being popped; its work is in no commit."


class OnlyWorkCommitted(Kind, frozen=True):
    """The work that was handed out uncommitted is committed, and nothing else was done; `on`: where."""

    on: str | None

    @property
    def said(self) -> str:
        where = f" on {self.on}" if self.on else ""
        return f"The work that was in the way is committed{where}; what was asked is not begun yet."


class HandedOutAt(Kind, frozen=True):
    """It was handed out at a step of the walkthrough, with some of the work done."""

    step: str

    @property
    def said(self) -> str:
        step = f"it was handed out at the step {self.step} of the walkthrough"
        return f"{step}; what was done by then earns nothing"


class WasGiven(Kind, frozen=True):
    """What is asked was there when it was handed out at a step; `whole`: all of it."""

    step: str
    whole: bool = True

    @property
    def said(self) -> str:
        what = "This was done" if self.whole else "A part of this was done"
        return f"{what} already when it was handed out, at the step {self.step} of the walkthrough."


class HandInWhole(Kind, frozen=True):
    """What can't be seen was handed out, and is to be handed in."""

    said = "What was handed out shows it: hand in the whole folder."
