"""What history finds of replayed commits."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import be, brief, counted
from muddled_orchard.core.git.commits import name_of, short
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import names_of


class ListCarriedOut(Kind, frozen=True):
    """Every line of an interactive rebase was carried out."""

    count: int
    asked: str

    @property
    def said(self) -> str:
        return f"{counted(self.count, 'line')} carried out: {self.asked}."


class NotInListedOrder(Kind, frozen=True):
    """The commits are there, in another order than the list has them."""

    said = "The commits are not in the order of the list."


class NotDropped(Kind, frozen=True):
    """A commit is still there that was to be dropped."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} "{brief(self.subject)}" is still there, and was to be dropped.'


class StillOnItsOwn(Kind, frozen=True):
    """A commit is still one of its own that was to become a part of another."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} "{brief(self.subject)}" was to become a part of the commit before it.'


class NotReworded(Kind, frozen=True):
    """A commit still says what it said, and was to be reworded."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} still says "{brief(self.subject)}", and was to be reworded.'


class StoppedAt(Kind, frozen=True):
    """A replay stopped at a step."""

    step: int
    steps: int
    asked: str

    @property
    def said(self) -> str:
        return f"It stopped at step {self.step} of {self.steps}: {self.asked}."


class ReplayUncommitted(Kind, frozen=True):
    """What was to become commits lies uncommitted, and nothing is under way that would commit it."""

    asked: str

    @property
    def said(self) -> str:
        return f"What it brings lies in the working tree, and in no commit yet; the task was to {self.asked}."


class OtherBase(Kind, frozen=True):
    """Replayed commits do not stand on the new base, or where there is none (`base` is None) on their branch
    as it was."""

    base: str | None
    on: str
    asked: str

    @property
    def said(self) -> str:
        where = f"on {self.base}" if self.base else f"on {self.on} as it was"
        return f"The commits do not stand {where}; the task was to {self.asked}."


class NeverFetched(Kind, frozen=True):
    """What was brought in of the remote is what was known of it before, and no fetch was made."""

    source: str
    asked: str

    @property
    def said(self) -> str:
        lacking = f"{self.source} was not fetched first: what is new there is not in it"
        return f"{lacking}. The task was to {self.asked}."


class RebasedOther(Kind, frozen=True):
    """The new base was rebased onto the branch, the wrong way round."""

    on: str
    source: str

    @property
    def said(self) -> str:
        return (
            f"It was rebased the wrong way round: {self.source} stands on {self.on} now, not {self.on} on it."
        )


class SquashedInto(Kind, frozen=True):
    """Commits (by subject) have become a part of another one."""

    names: tuple[str, ...]
    count: int
    commit: str

    @property
    def said(self) -> str:
        sentence = (
            "has no commit of its own any more: it was"
            if self.count == 1
            else "have no commits of their own any more: they were"
        )
        return f"{names_of(self.names, self.count)} {sentence} squashed into {short(self.commit)}."


class NotReplayed(Kind, frozen=True):
    """Commits (by subject) are missing."""

    names: tuple[str, ...]
    count: int

    @property
    def said(self) -> str:
        was_it, of_it = ("it was", "it") if self.count == 1 else ("they were", "them")
        sentence = f"{names_of(self.names, self.count)} {be(self.count)} not among the replayed commits"
        return f"{sentence}: {was_it} skipped, or nothing was left of {of_it}."


class RangeBeganLate(Kind, frozen=True):
    """The first commit of a range is missing, as if it had been named where the range begins after it."""

    subject: str

    @property
    def said(self) -> str:
        return f'"{self.subject}" was not picked. A range A..B begins after A; A^..B has A, too.'


class Reworded(Kind, frozen=True):
    """A replayed commit has another subject."""

    commit: str
    now: str
    wanted: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} was reworded: it says "{self.now}", and was "{self.wanted}".'


class OtherAuthor(Kind, frozen=True):
    """A replayed commit has another author; `command` would have kept the right one."""

    commit: str
    now: str
    wanted: str
    command: str

    @property
    def said(self) -> str:
        wanted, now = map(name_of, (self.wanted, self.now))
        if wanted == now:  # it is the address that differs
            wanted, now = self.wanted, self.now
        sentence = f"{short(self.commit)} does not keep the author {wanted}; it has {now}"
        return f"{sentence} ({self.command} keeps the author, git commit does not)."


class Reordered(Kind, frozen=True):
    """Replayed commits are in another order."""

    said = "The commits are not in their order any more."


class ReplayedTwice(Kind, frozen=True):
    """A commit was replayed a second time."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} replays "{self.subject}" a second time.'


class ForeignCommit(Kind, frozen=True):
    """A commit of the learner's lies among the replayed ones."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} "{self.subject}" lies among the replayed commits and is none of them.'


class ReplayedElsewhere(Kind, frozen=True):
    """The replayed commits are right, and on another branch (None: on none)."""

    branch: str | None
    on: str

    @property
    def said(self) -> str:
        held = self.branch or "a detached HEAD"
        return f"The commits are right, but they are on {held}; {self.on} did not receive them."


class NothingToReplay(Kind, frozen=True):
    """Nothing was left of all commits."""

    count: int
    asked: str

    @property
    def said(self) -> str:
        return f"Nothing was left of {counted(self.count, 'commit')} to replay ({self.asked})."


class Replayed(Kind, frozen=True):
    """So many commits of so many were replayed as asked."""

    done: int
    steps: int
    asked: str

    @property
    def said(self) -> str:
        left = self.steps - self.done
        if not left:
            return f"{counted(self.done, 'commit')} as asked ({self.asked})."
        others = "other" if left == 1 else "others"
        return (
            f"{self.done} of {self.steps} commits as asked ({self.asked}); nothing was left of the {others}."
        )
