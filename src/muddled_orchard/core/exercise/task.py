"""A task of a scenario file: one operation that the learner is asked to carry out.

What all operations have in common is here; `core.exercise.operations` has a module for each. A task answers
whatever the rest of the program wants to know of it: what can be wrong with it in a file, the commands that
carry it out, what Git is asked to predict, what it leaves, and how all that is said.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import ClassVar, Literal, Self

from msgspec import Struct

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.planned import NamedCommit, Planned, Replay
from muddled_orchard.core.exercise.proposed_messages import without_lines
from muddled_orchard.core.exercise.text_rules import TextRules
from muddled_orchard.core.git.commits import Commit, short
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.git.under_way import Words

OperationName = Literal[
    "merge",
    "rebase",
    "cherry-pick",
    "revert",
    "pull",
    "stash-pop",
    "reset",
    "am",
    "own-conflict",
    "propose",
    "accept",
]
"""The words of `do`; `core.exercise.operations` has the class of each."""

FastForward = Literal["never", "allowed", "only"]

ResultKind = Literal["merge", "rewritten branch", "new commits", "working tree", "set branch", "own conflict"]
"""What an operation leaves: one merge of two branches, its branch's commits anew on another base, further
commits on its branch, changes that nobody has committed, its branch at a commit that there was before, or a
conflict of the learner's own, wherever it was made."""

Looks = tuple[str, Sequence[Words]]
"""A sentence, and the commands that show what it says, without `git`."""

IN_ORDER = (
    "do", "on", "bring", "fast_forward", "squash", "onto", "pick", "undo", "patches", "parent", "since",
    "todo", "to", "abort", "from_", "by", "push", "delete", "message",
    "conflicts", "files", "kinds", "kept", "steps", "role",
)  # fmt: skip
"""The keys of all tasks in the order in which they are stored; a new one comes last. Digests of stored
scenarios tell their versions apart, so the order stays for ever."""


class MessageRules(TextRules, frozen=True, kw_only=True):
    """What the message of a commit must hold."""

    text: str | None = None
    """An example of a message that holds it (default: one is made of `has` and `once`)."""

    def __post_init__(self) -> None:
        if not self.ask:
            raise ValueError("expected one of has, lacks, once and matches")


class Task(Struct, frozen=True, kw_only=True):
    """One operation that the learner is asked to carry out: the keys that all of them have."""

    do: OperationName
    """The operation."""
    on: str = ""
    """The branch that is checked out and receives the result (default: the story's first branch)."""
    abort: bool = False
    """Whether it is only to be begun, and given up again at its first conflict."""
    push: bool = False
    """Whether the result is to be pushed to origin."""
    delete: str | None = None
    """A branch that is to be deleted afterwards."""
    role: Literal[1, 2] | None = None
    """Whose it is where a team shares the repository: that of the first or of the second role."""
    message: Literal["proposed", "own"] | MessageRules | None = None
    """What the commit is to say: `"proposed"` (Git's own message is kept; of a replayed commit its own),
    `"own"` (own words that say what it does), or rules that the message must hold."""

    result: ClassVar[ResultKind]
    """What it leaves."""
    under_way: ClassVar[str]
    """The kind of operation that Git shows where it has stopped (`core.git.under_way`)."""
    says_at_once: ClassVar[bool] = False
    """Whether the command that begins it takes the message of its commit."""
    why_begin: ClassVar[str] = "to begin"
    """What the command that begins it is for, in a few words."""
    why_sides: ClassVar[str]
    """Why ours and theirs are who they are, in sentences for learners."""
    keeps_commits: ClassVar[bool] = False
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
        return self.joins or self.replays_own or self.adds_commits or self.makes_own

    @property
    def stays_uncommitted(self) -> bool:
        """Whether it ends in changes of the working tree that nobody has to commit."""
        return self.result == "working tree"

    @property
    def sets_back(self) -> bool:
        """Whether it ends with its branch at a commit that there was before; nothing is merged."""
        return self.result == "set branch"

    @property
    def makes_own(self) -> bool:
        """Whether the learner makes the conflict, so that no step of it is known before."""
        return self.result == "own conflict"

    @property
    def needs_reflog(self) -> bool:
        """Whether only a reflog tells that it was done."""
        return self.abort

    @property
    def rewrites_branch(self) -> bool:
        """Whether commits that its branch had are no longer in it."""
        return self.replays_own or self.sets_back

    @property
    def source(self) -> str:
        """The branch that it brings in or goes onto, of the remote with `origin/`; empty where there is
        none."""
        return ""

    @property
    def source_key(self) -> str:
        """The key that names its source."""
        return ""

    def brings(self, source: str) -> Self:
        """The same with its source at another place, where an operation can have that."""
        return self

    def with_defaults(self) -> Self:
        """The same with what follows from its other keys."""
        return self

    @property
    def labels(self) -> Sequence[str]:
        """The labels of the commits that it names, in order."""
        return ()

    def relabelled(self, names: Mapping[str, str]) -> Self:
        """The same with other names for the commits that it names: labels are their author's own."""
        return self

    def without_answers(self) -> Self:
        """The same without what would tell a learner what is right."""
        return self

    @property
    def squash(self) -> bool | None:
        """Whether its result is to be one plain commit."""
        return None

    @property
    def fast_forward(self) -> FastForward | None:
        """Whether its branch may, must or must not just be moved on, where that is asked."""
        return None

    @property
    def todo(self) -> Sequence[str] | None:
        """The lines of an interactive rebase, where it is one."""
        return None

    @property
    def patches(self) -> Sequence[str]:
        """The labels of the commits that are handed out as patches, in order; their branch is not."""
        return ()

    def phrase(self, on: str, source: str) -> str:
        """What is asked, in a few words, with the names of the branches as they are to be written."""
        raise NotImplementedError

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """Who ours and theirs are, for people; `replayed` is the subject of the commit at hand."""
        raise NotImplementedError

    def marker_labels(
        self, replayed: Commit | None = None, *, sides_swapped: bool = False
    ) -> tuple[str, str]:
        """What Git writes behind the markers of ours and theirs, and in the names of files that it sets
        aside. `replayed` is the commit at hand; `sides_swapped`: it was merged the wrong way round."""
        theirs = self.on if sides_swapped else self.source
        return "HEAD", f"{short(replayed.id)} ({replayed.subject})" if replayed else theirs

    @property
    def not_in_yet(self) -> str:
        """What to say where its branch does not have what its source has."""
        return f"{self.on} does not have the commits of {self.source} yet"

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """A sentence on what there is to bring in, and the commands that show it, without `git`. `ids` are
        those of labelled commits; the sentence may be empty."""
        raise NotImplementedError

    def compare(self, sides: tuple[str, str], replay: Replay) -> Iterator[Looks]:
        """Sentences on what each side changed, at a conflict, and the commands that show it, without `git`;
        to each `diff` the paths are added. `sides` name ours and theirs, `replay` is what is replayed."""
        ours, theirs = sides
        base, made = short(replay.base), short(replay.theirs)
        who: Words = ("log", "-1", "--format=%h %an: %s", short(replay.original))
        yield f"What {theirs} changed, and who made it:", (who, ("diff", base, made))
        yield f"And how {ours} differs from what that commit was made on:", (("diff", base, "HEAD"),)

    def misfits(self, key: KeyPath, history: History) -> Iterator[Problem]:
        """What of a task at `key` the story does not have, beyond branches."""
        return iter(())

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """The command that begins it, without `git`. `ids` are those of labelled commits; `said` is the
        message that its commit is to have, for those that take it by then (`says_at_once`)."""
        raise NotImplementedError

    @property
    def replays_always(self) -> bool:
        """Whether Git replays its branch even where that stands on the new base already."""
        return False

    @property
    def fetches_first(self) -> bool:
        """Whether what it brings in has to be fetched before."""
        return is_on_remote(self.source)

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

    def replays(self, planned: Planned) -> Sequence[Replay]:
        """The commits that it replays, in order; none for a merge, which is one step."""
        return ()

    def message_for(self, original: Commit) -> str:
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

    def not_shown(self, original: NamedCommit) -> str:
        """What to say where no commit says so."""
        return f'no commit of {self.on} says "{original.subject}" yet'
