"""What an operation is to everything else: the members that each of them has."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Literal, Protocol

from msgspec import Struct

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.under_way import Words

if TYPE_CHECKING:
    from muddled_orchard.core.exercise.history import History
    from muddled_orchard.core.exercise.scenario import Task
    from muddled_orchard.core.git.commits import Commit, Commits

ResultKind = Literal["merge", "rewritten branch", "new commits", "working tree", "set branch"]
"""What an operation leaves: one merge of two branches, its branch's commits anew on another base, further
commits on its branch, changes that nobody has committed, or its branch at a commit that there was before."""

SQUASHED = "Squashed commit of the following:"
"""The subject that Git proposes for a squash merge; what follows it lists what comes in."""


class NamedCommit(Protocol):
    """A commit as far as it is named: its id in hex, its author (`Name <address>`) and its subject."""

    @property
    def id(self) -> str:
        """The id in hex."""

    @property
    def author(self) -> str:
        """`Name <address>`."""

    @property
    def subject(self) -> str:
        """The first line of the message."""


class Planned(Protocol):
    """The repository as it stands when an operation begins and all before it was solved by the key."""

    @property
    def commits(self) -> Commits:
        """Every commit that there is by then, by id."""

    def labelled(self, label: str) -> str:
        """The id of the commit with a label."""

    def stashed(self) -> str:
        """The id of the commit that holds the stashed work."""

    def to_replay(self, onto: str, branch: str) -> Sequence[str]:
        """The ids of the commits that a rebase replays, the oldest first."""

    def to_replay_since(self, id_: str, branch: str) -> Sequence[str]:
        """The same of a rebase that begins after a commit of the branch itself."""


class Replay(Struct, frozen=True):
    """One commit that an operation replays: the ids of the commit from which its change is taken, of the one
    that has the change, and of the one that it is about."""

    base: str
    theirs: str
    original: str


def no_such_label(label: str, history: History, key: KeyPath) -> Iterator[Problem]:
    """What to say of a label at `key` that no commit of the story has."""
    labels = [commit.label for commit in history.commits if commit.label]
    if label not in labels:
        yield Problem(f'no commit is labelled "{label}"', likely(label, labels), key)


def without_lines(message: str, pattern: str) -> str:
    """A message without the lines that match a pattern as a whole, and without comments."""
    lines = (line for line in message.splitlines() if not re.fullmatch(pattern, line.strip()))
    return "\n".join(line for line in lines if not line.startswith("#")).strip()


class Operation:
    """One operation. Its methods get the task that asks for it."""

    needs: Words = ()
    """The keys of a task that it needs."""
    allows: Words = ()
    """The keys that it may have besides."""
    result: ResultKind
    """What it leaves."""
    under_way: str
    """The kind of operation that Git shows where it has stopped (`core.git.under_way`)."""
    rewrites_branch = False
    """Whether commits that its branch had are no longer in it."""
    says_at_once = False
    """Whether the command that begins it takes the message of its commit."""
    keeps_commits = False
    """Whether its commits keep the authors and messages of those that they replay."""

    def source(self, task: Task) -> str | None:
        """The branch that it brings in or goes onto; of the remote with `origin/`."""
        return None

    def in_words(self, task: Task, on: str, source: str) -> str:
        """What is asked, in a few words, with the names of the branches as they are to be written."""
        raise NotImplementedError

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """Who ours and theirs are, for people; `replayed` is the subject of the commit at hand."""
        raise NotImplementedError

    def marker_labels(self, task: Task, replayed: Commit | None, *, sides_swapped: bool) -> tuple[str, str]:
        """What Git writes behind the markers of ours and theirs, and in the names of files that it sets
        aside."""
        theirs = (task.on if sides_swapped else self.source(task)) or ""
        return "HEAD", f"{short(replayed.id)} ({replayed.subject})" if replayed else theirs

    def misfits(self, task: Task, key: KeyPath, history: History) -> Iterator[Problem]:
        """What of a task at `key` the story does not have, beyond branches."""
        return iter(())

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """The command that begins it, without `git`. `ids` are those of labelled commits; `said` is the
        message that its commit is to have, for those that take it by then (`says_at_once`)."""
        raise NotImplementedError

    def fetches_first(self, task: Task) -> bool:
        """Whether what it brings in has to be fetched before."""
        return False

    def go_on(self) -> Words:
        """The command that completes the step at hand when all is staged, without `git`; none where nothing
        is to be committed."""
        return (self.under_way, "--continue")

    def complete(self, said: str | None, *, emptied: bool) -> Sequence[Words]:
        """All that is typed to complete the step at hand when all is staged, without `git`. `said` is the
        message that its commit is to have, if that is not Git's own; `emptied`: nothing is left of what is
        replayed."""
        if self.result != "new commits":
            return (self.go_on(),) if self.go_on() else ()
        if emptied:
            return ((self.under_way, "--skip"),)
        # `--continue` opens no editor where there is no terminal.
        own = (("commit", "--allow-empty", "-m", said),) if said is not None else ()
        return (*own, self.go_on())

    def replays(self, task: Task, planned: Planned) -> Sequence[Replay]:
        """The commits that it replays, in order; none for a merge, which is one step."""
        return ()

    def message(self, original: Commit) -> str:
        """The message of the commit that replays one."""
        return original.message

    def own_words(self, message: str, original: Commit | None) -> str:
        """What of a commit's message is neither what Git proposes nor what the replayed commit said."""
        said = message.strip()
        before = original.message.strip() if original else ""
        if before and said.startswith(before):
            said = said[len(before) :]
        return without_lines(said, r"\(cherry picked from commit [0-9a-f]+\)")

    def shows(self, made: Commit, original: NamedCommit) -> bool:
        """Whether a commit says that it is what the operation makes of another one."""
        return (made.author, made.subject) == (original.author, original.subject)

    def not_shown(self, task: Task, original: NamedCommit) -> str:
        """What to say where no commit says so."""
        return f'no commit of {task.on} says "{original.subject}" yet'
