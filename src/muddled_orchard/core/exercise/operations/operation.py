"""What an operation is to everything else: the members that each of them has."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Protocol

from msgspec import Struct

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commit, Commits, short
from muddled_orchard.core.git.under_way import Words

ResultKind = Literal["merge", "rewritten branch", "new commits", "working tree", "set branch"]
"""What an operation leaves: one merge of two branches, its branch's commits anew on another base, further
commits on its branch, changes that nobody has committed, or its branch at a commit that there was before."""

SQUASHED = "Squashed commit of the following:"
"""The subject that Git proposes for a squash merge; what follows it lists what comes in."""


Looks = tuple[str, Sequence[Words]]
"""A sentence, and the commands that show what it says, without `git`."""


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


def shown(id_: str) -> Words:
    """The command that shows a commit, whose it is and which files it touches."""
    return ("show", "--stat", "--format=%h %s, %an", id_)


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
    says_at_once = False
    """Whether the command that begins it takes the message of its commit."""
    why_begin = "to begin"
    """What the command that begins it is for, in a few words."""
    why_sides: str
    """Why ours and theirs are who they are, in sentences for learners."""
    keeps_commits = False
    """Whether its commits keep the authors and messages of those that they replay."""

    @property
    def joins(self) -> bool:
        """Whether it is one merge of two branches, and not a replay of commits."""
        return self.result == "merge"

    @property
    def replays_own(self) -> bool:
        """Whether it replays its branch's own commits on a new base, which is ours then."""
        return self.result == "rewritten branch"

    @property
    def adds_commits(self) -> bool:
        """Whether it makes further commits on its branch, each by a merge of its own; Git stops at one of
        which nothing is left."""
        return self.result == "new commits"

    @property
    def leaves_commits(self) -> bool:
        """Whether it leaves commits that could say something, and that can be given up."""
        return self.joins or self.replays_own or self.adds_commits

    @property
    def stays_uncommitted(self) -> bool:
        """Whether it ends in changes of the working tree that nobody has to commit."""
        return self.result == "working tree"

    @property
    def sets_back(self) -> bool:
        """Whether it ends with its branch at a commit that there was before; nothing is merged."""
        return self.result == "set branch"

    @property
    def rewrites_branch(self) -> bool:
        """Whether commits that its branch had are no longer in it."""
        return self.replays_own or self.sets_back

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

    def not_in_yet(self, task: Task) -> str:
        """What to say where its branch does not have what its source has."""
        return f"{task.on} does not have the commits of {self.source(task)} yet"

    def look_first(self, task: Task, ids: Mapping[str, str]) -> Looks:
        """A sentence on what there is to bring in, and the commands that show it, without `git`. `ids` are
        those of labelled commits; the sentence may be empty."""
        raise NotImplementedError

    def compare(self, task: Task, sides: tuple[str, str], replay: Replay) -> Iterator[Looks]:
        """Sentences on what each side changed, at a conflict, and the commands that show it, without `git`;
        to each `diff` the paths are added. `sides` name ours and theirs, `replay` is what is replayed."""
        ours, theirs = sides
        base, made = short(replay.base), short(replay.theirs)
        who: Words = ("log", "-1", "--format=%h %an: %s", short(replay.original))
        yield f"What {theirs} changed, and who made it:", (who, ("diff", base, made))
        yield f"And how {ours} differs from what that commit was made on:", (("diff", base, "HEAD"),)

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
        if not self.adds_commits:
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
