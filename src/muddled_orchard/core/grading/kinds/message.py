"""What message finds."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import all_of, brief
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind


class NoMessageAsked(Kind, frozen=True):
    """The scenario asks for no particular messages."""

    said = "No message was asked for."


class NoCommitLeft(Kind, frozen=True):
    """Messages were asked for, and no commit is left that could have one."""

    said = "No commit is left that could say anything."


class NoMessageYet(Kind, frozen=True):
    """There is no commit on a branch whose message could be read."""

    on: str

    @property
    def said(self) -> str:
        return f"There is no commit on {self.on} yet whose message could be read."


class MessagesAsAsked(Kind, frozen=True):
    """Every message is as asked."""

    count: int

    @property
    def said(self) -> str:
        return (
            "The message is as asked." if self.count == 1 else f"{all_of(self.count)} messages are as asked."
        )


class MessageBreaks(Kind, frozen=True):
    """A message does not hold the rules of the task; `flaw` says which in words."""

    commit: str
    subject: str
    flaw: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} says "{brief(self.subject)}"; in its message {self.flaw}.'


class MessageNotGits(Kind, frozen=True):
    """A message is not the one that Git proposes (`merge`), or the one that the replayed commit had."""

    commit: str
    subject: str
    merge: bool

    @property
    def said(self) -> str:
        whose = "Git's own message" if self.merge else "the commit's own message"
        return f'{short(self.commit)} says "{brief(self.subject)}"; {whose} was to be kept.'


class MessageIsGits(Kind, frozen=True):
    """A message is just that one, where own words were asked for."""

    commit: str
    subject: str
    merge: bool

    @property
    def said(self) -> str:
        whose = "Git proposed" if self.merge else "the commit said before"
        said = f'{short(self.commit)} says "{brief(self.subject)}", as {whose}'
        return f"{said}; it was to say in own words what it does."


class MessageTooShort(Kind, frozen=True):
    """A message of one word."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'{short(self.commit)} says only "{brief(self.subject)}", which tells nobody what it does.'


class MessageTooLong(Kind, frozen=True):
    """The first line of a message has more letters than the most."""

    commit: str
    letters: int
    most: int

    @property
    def said(self) -> str:
        return (
            f"The first line of {short(self.commit)} has {self.letters} letters; "
            f"Git's lists cut it after some {self.most}."
        )
