"""Everything that can be found, as data: one class a kind, with the values that go with it.

No kind holds a sentence; `core.grading.english` has the words. Lists of names are `names`, as many as anybody
reads, with `count`, how many there are. To add a kind, write its class here and its words there; the test of
sentences asks for samples.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from muddled_orchard.core.grading.finding import Kind


@dataclass(frozen=True, slots=True)
class Said(Kind):
    """Something that is in words already: an author's, or a hint."""

    text: str


# -- What was done at all ---------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NothingAttempted(Kind):
    """The repository is as it was handed out; what was begun meanwhile was given up."""

    rebases: int = 0
    resets: int = 0


@dataclass(frozen=True, slots=True)
class GivenUp(Kind):
    """What was under way when it was handed out was given up."""


@dataclass(frozen=True, slots=True)
class NothingAsked(Kind):
    """Something was done, and nothing of what was asked; `under_way` is what Git has begun."""

    under_way: str | None = None


@dataclass(frozen=True, slots=True)
class HandInWhole(Kind):
    """What can't be seen was handed out, and is to be handed in."""


# -- finished ---------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NotInBundle(Kind):
    """A bundle can't show this."""

    what: Literal["pending", "working tree"]


@dataclass(frozen=True, slots=True)
class Unmerged(Kind):
    """Paths are unmerged; `resolved`: none of them has markers any more."""

    under_way: str | None
    names: tuple[str, ...]
    count: int
    resolved: bool


@dataclass(frozen=True, slots=True)
class NotLeft(Kind):
    """An operation is under way that was to be given up."""

    under_way: str


@dataclass(frozen=True, slots=True)
class NotCompleted(Kind):
    """An operation is under way, with nothing unmerged."""

    under_way: str


@dataclass(frozen=True, slots=True)
class NotCommitted(Kind):
    """Files were changed by hand, and nothing was committed."""

    names: tuple[str, ...]
    count: int


@dataclass(frozen=True, slots=True)
class NotDone(Kind):
    """Tasks that were not done, in their operations' words."""

    names: tuple[str, ...]
    count: int
    tasks: int


@dataclass(frozen=True, slots=True)
class NothingPending(Kind):
    """Everything came to its end; `committed`: there was something to commit."""

    committed: bool


# -- markers ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NoMarkers(Kind):
    """No marker is left."""


@dataclass(frozen=True, slots=True)
class MarkersLeft(Kind):
    """Markers are left: the first one, what it is, how it reads, and how many there are."""

    file: str
    line: int
    sign: str
    text: str
    count: int


@dataclass(frozen=True, slots=True)
class MarkersMended(Kind):
    """Markers were committed, and taken out later."""

    file: str
    commit: str


# -- history ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NothingToCommit(Kind):
    """No task leaves a commit."""


@dataclass(frozen=True, slots=True)
class MergedTooEarly(Kind):
    """A branch was merged before one that was asked for earlier."""

    branch: str
    before: str


@dataclass(frozen=True, slots=True)
class MergeInstead(Kind):
    """There is a merge commit where a replay was asked; `asked` is that in its operation's words."""

    asked: str


@dataclass(frozen=True, slots=True)
class BegunAndGivenUp(Kind):
    """An operation was begun and given up, as asked."""

    asked: str


@dataclass(frozen=True, slots=True)
class NotGivenUp(Kind):
    """An operation that was to be given up was carried out."""

    asked: str


@dataclass(frozen=True, slots=True)
class StillUnderWay(Kind):
    """An operation that was to be given up is under way."""

    asked: str


@dataclass(frozen=True, slots=True)
class NoReflog(Kind):
    """There is no reflog, which alone shows what was begun and given up."""

    asked: str


@dataclass(frozen=True, slots=True)
class SetBack(Kind):
    """A branch stands at the commit where it was to stand."""

    on: str
    commit: str


@dataclass(frozen=True, slots=True)
class UndoneInstead(Kind):
    """Further commits undo what was to be taken out of a branch."""

    on: str
    asked: str


@dataclass(frozen=True, slots=True)
class SetElsewhere(Kind):
    """A branch stands neither where it stood nor where it was to stand."""

    on: str
    asked: str


@dataclass(frozen=True, slots=True)
class ListCarriedOut(Kind):
    """Every line of an interactive rebase was carried out."""

    count: int
    asked: str


@dataclass(frozen=True, slots=True)
class NotInListedOrder(Kind):
    """The commits are there, in another order than the list has them."""


@dataclass(frozen=True, slots=True)
class NotDropped(Kind):
    """A commit is still there that was to be dropped."""

    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class StillOnItsOwn(Kind):
    """A commit is still one of its own that was to become a part of another."""

    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class NotReworded(Kind):
    """A commit still says what it said, and was to be reworded."""

    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class NeverBegun(Kind):
    """A replay was never begun."""

    asked: str


@dataclass(frozen=True, slots=True)
class StoppedAt(Kind):
    """A replay stopped at a step."""

    step: int
    steps: int
    asked: str


@dataclass(frozen=True, slots=True)
class OtherBase(Kind):
    """Replayed commits do not stand on the new base, or where there is none (`base` is None) on their branch
    as it was."""

    base: str | None
    on: str
    asked: str


@dataclass(frozen=True, slots=True)
class SquashedInto(Kind):
    """Commits (by subject) have become a part of another one."""

    names: tuple[str, ...]
    count: int
    commit: str


@dataclass(frozen=True, slots=True)
class NotReplayed(Kind):
    """Commits (by subject) are missing."""

    names: tuple[str, ...]
    count: int


@dataclass(frozen=True, slots=True)
class Reworded(Kind):
    """A replayed commit has another subject."""

    commit: str
    now: str
    wanted: str


@dataclass(frozen=True, slots=True)
class OtherAuthor(Kind):
    """A replayed commit has another author; `command` would have kept the right one."""

    commit: str
    now: str
    wanted: str
    command: str


@dataclass(frozen=True, slots=True)
class Reordered(Kind):
    """Replayed commits are in another order."""


@dataclass(frozen=True, slots=True)
class ReplayedTwice(Kind):
    """A commit was replayed a second time."""

    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class ForeignCommit(Kind):
    """A commit of the learner's lies among the replayed ones."""

    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class ReplayedElsewhere(Kind):
    """The replayed commits are right, and on another branch (None: on none)."""

    branch: str | None
    on: str


@dataclass(frozen=True, slots=True)
class NothingToReplay(Kind):
    """Nothing was left of all commits."""

    count: int
    asked: str


@dataclass(frozen=True, slots=True)
class Replayed(Kind):
    """So many commits of so many were replayed as asked."""

    done: int
    steps: int
    asked: str


@dataclass(frozen=True, slots=True)
class NotSquashed(Kind):
    """A merge commit where one plain commit was asked."""

    commit: str


@dataclass(frozen=True, slots=True)
class NotFastForward(Kind):
    """A merge commit where a fast-forward was asked."""

    commit: str


@dataclass(frozen=True, slots=True)
class MovedOn(Kind):
    """A fast-forward; `asked`: it was not to be one."""

    on: str
    source: str
    merge_asked: bool


@dataclass(frozen=True, slots=True)
class WrongWayRound(Kind):
    """The branch was merged into the one that was to be merged."""

    commit: str
    on: str
    source: str


@dataclass(frozen=True, slots=True)
class OlderMerged(Kind):
    """An older commit of the branch was merged."""

    commit: str
    source: str


@dataclass(frozen=True, slots=True)
class SquashMerged(Kind):
    """The branch came in as one plain commit; `asked`: as it was to."""

    commit: str
    on: str
    source: str
    asked: bool


@dataclass(frozen=True, slots=True)
class RebasedInstead(Kind):
    """The commits were rebased where a merge was asked."""

    on: str
    source: str


@dataclass(frozen=True, slots=True)
class NoMergeYet(Kind):
    """The merge is under way; `sides_swapped`: the wrong way round."""

    on: str
    source: str
    sides_swapped: bool


@dataclass(frozen=True, slots=True)
class BranchReset(Kind):
    """The branch was set to a commit that lacks what it had."""

    commit: str
    on: str
    source: str


@dataclass(frozen=True, slots=True)
class MergedByHand(Kind):
    """Files were changed, and nothing was merged."""


@dataclass(frozen=True, slots=True)
class NeverMerged(Kind):
    """Nothing of the merge is there."""

    on: str
    source: str


@dataclass(frozen=True, slots=True)
class RewrittenBefore(Kind):
    """The merge is right, and its branch was rewritten before."""

    commit: str
    on: str
    source: str


@dataclass(frozen=True, slots=True)
class AlsoMerged(Kind):
    """The merge commit has further parents."""

    commit: str
    source: str
    names: tuple[str, ...]
    count: int


@dataclass(frozen=True, slots=True)
class Merged(Kind):
    """As asked. `moved_on`: the other branch had further commits by then; `in_parts`: an older commit of it
    was merged first."""

    commit: str
    on: str
    source: str
    moved_on: bool
    in_parts: bool


@dataclass(frozen=True, slots=True)
class MadeElsewhere(Kind):
    """The commit is right, and on another branch (None: on none). `squash`: it is no merge commit."""

    commit: str
    branch: str | None
    on: str
    squash: bool


# -- work -------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NoWork(Kind):
    """Everything was committed when it was handed out."""


@dataclass(frozen=True, slots=True)
class WorkKept(Kind):
    """What was not committed is all there; `count` is of files."""

    count: int


@dataclass(frozen=True, slots=True)
class WorkLost(Kind):
    """What was not committed is nowhere any more."""

    names: Sequence[str]
    count: int


# -- message ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NoMessageAsked(Kind):
    """The scenario asks for no particular messages."""


@dataclass(frozen=True, slots=True)
class NoCommitLeft(Kind):
    """Messages were asked for, and no commit is left that could have one."""


@dataclass(frozen=True, slots=True)
class NoMessageYet(Kind):
    """There is no commit on a branch whose message could be read."""

    on: str


@dataclass(frozen=True, slots=True)
class MessagesAsAsked(Kind):
    """Every message is as asked."""

    count: int


@dataclass(frozen=True, slots=True)
class MessageBreaks(Kind):
    """A message does not hold the rules of the task; `flaw` says which in words."""

    commit: str
    subject: str
    flaw: str


@dataclass(frozen=True, slots=True)
class MessageNotGits(Kind):
    """A message is not the one that Git proposes (`merge`), or the one that the replayed commit had."""

    commit: str
    subject: str
    merge: bool


@dataclass(frozen=True, slots=True)
class MessageIsGits(Kind):
    """A message is just that one, where own words were asked for."""

    commit: str
    subject: str
    merge: bool


@dataclass(frozen=True, slots=True)
class MessageTooShort(Kind):
    """A message of one word."""

    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class MessageTooLong(Kind):
    """The first line of a message has more letters than the most."""

    commit: str
    letters: int
    most: int


# -- resolution -------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NothingConflicts(Kind):
    """The scenario has no conflict."""


@dataclass(frozen=True, slots=True)
class KeyIsSilent(Kind):
    """The key accepts nothing for any conflict."""


@dataclass(frozen=True, slots=True)
class AllResolved(Kind):
    """Every conflict is resolved as accepted."""

    count: int


@dataclass(frozen=True, slots=True)
class ConflictWrong(Kind):
    """One conflict that is not, or is worth only a part: what was kept, and what the key accepts, as in
    HunkResult. `whole`: it is a whole path."""

    file: str
    line: int | None
    subject: str | None
    renamed: str | None
    left_at: str | None
    whole: bool
    kept: str
    accepted: Sequence[str]
    together: Sequence[Sequence[str]]
    ours: str
    theirs: str
    worth: float = 0.0


@dataclass(frozen=True, slots=True)
class MoreWrong(Kind):
    """Further conflicts are not right."""

    count: int


@dataclass(frozen=True, slots=True)
class NeverMet(Kind):
    """Conflicts that were never come to."""

    count: int


# -- rest -------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class CameThrough(Kind):
    """Nothing outside the conflicts was changed."""


@dataclass(frozen=True, slots=True)
class Departures(Kind):
    """Places outside the conflicts that are not as they should be.

    `group`: `beyond`, more than a hunk had to be changed; `clean`, what merges cleanly had to be; `lost`,
    what `side` changed was lost; `changed`, all else. Each of `places` has a path, a line (or None), a text,
    and `what`: `missing`, `back`, `new`, `deleted`, `added`, `changed`, `executable`, `plain`, or the two
    modes of another kind of entry.
    """

    group: Literal["beyond", "clean", "lost", "changed"]
    side: str | None
    places: Sequence[Sequence[Any]]
    count: int


@dataclass(frozen=True, slots=True)
class NothingOfSide(Kind):
    """Nothing of a side came in."""

    side: str


@dataclass(frozen=True, slots=True)
class WholeFileOfSide(Kind):
    """A whole file is a side's."""

    file: str
    side: str


# -- rules ------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NoRules(Kind):
    """The scenario has no rules."""


@dataclass(frozen=True, slots=True)
class RulesNotRun(Kind):
    """The scenario's rules run commands, and that was not asked for."""

    count: int


@dataclass(frozen=True, slots=True)
class CommandFailed(Kind):
    """A command of a rule did not end with 0; `what` says how it ended, `why` is the author's reason."""

    command: str
    what: str
    why: str


@dataclass(frozen=True, slots=True)
class RulesUndecided(Kind):
    """Whether its rules hold can't be decided."""


@dataclass(frozen=True, slots=True)
class RulesHold(Kind):
    """All of them hold."""


@dataclass(frozen=True, slots=True)
class RuleBroken(Kind):
    """One does not: `what` are the words of the rule, `why` those of its author."""

    file: str
    line: int | None
    what: str
    why: str


# -- bystanders and the remote ----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Undisturbed(Kind):
    """Every other ref is where it was."""


@dataclass(frozen=True, slots=True)
class BranchGone(Kind):
    """A branch was deleted, or renamed to another."""

    branch: str
    renamed_to: str | None


@dataclass(frozen=True, slots=True)
class BranchRewritten(Kind):
    """A branch lacks the commit at which it stood."""

    branch: str
    commit: str


@dataclass(frozen=True, slots=True)
class BranchMoved(Kind):
    """A branch was moved on."""

    branch: str
    before: str
    now: str


@dataclass(frozen=True, slots=True)
class ToBeLeftAlone(Kind):
    """So many branches were to stay where they were."""

    count: int


@dataclass(frozen=True, slots=True)
class GoneFromOrigin(Kind):
    """A branch of the remote is gone."""

    branch: str


@dataclass(frozen=True, slots=True)
class OverwrittenAtOrigin(Kind):
    """A branch of the remote lacks the commit at which it stood."""

    branch: str
    commit: str


@dataclass(frozen=True, slots=True)
class OriginHas(Kind):
    """A branch of the remote stands elsewhere."""

    branch: str
    commit: str


# -- tidy -------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Tidy(Kind):
    """Nothing is left lying about."""


@dataclass(frozen=True, slots=True)
class Detached(Kind):
    """HEAD is detached."""

    wanted: str


@dataclass(frozen=True, slots=True)
class OtherCheckedOut(Kind):
    """Another branch is checked out (None where HEAD is detached)."""

    now: str | None
    wanted: str


@dataclass(frozen=True, slots=True)
class BackupsCommitted(Kind):
    """Backup files were committed."""

    names: tuple[str, ...]
    count: int


@dataclass(frozen=True, slots=True)
class LeftUntracked(Kind):
    """Untracked files; `backups`: all of them are backup files."""

    names: tuple[str, ...]
    count: int
    backups: bool


@dataclass(frozen=True, slots=True)
class NotClean(Kind):
    """Files have uncommitted changes."""

    names: tuple[str, ...]
    count: int


@dataclass(frozen=True, slots=True)
class StashLeft(Kind):
    """There is work in the stash."""


# -- delivered --------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class NothingToDeliver(Kind):
    """Nothing was to be pushed or deleted."""


@dataclass(frozen=True, slots=True)
class RemoteUnseen(Kind):
    """The remote was not handed in."""


@dataclass(frozen=True, slots=True)
class NotPushed(Kind):
    """The remote does not have a branch as it is here; `nothing`: it has it as it was handed out."""

    branch: str
    nothing: bool


@dataclass(frozen=True, slots=True)
class NotDeleted(Kind):
    """A branch is still there, or at the remote."""

    branch: str
    at_origin: bool


@dataclass(frozen=True, slots=True)
class Delivered(Kind):
    """All of it: `pushed` and `deleted` say what was asked."""

    pushed: bool
    deleted: bool


# -- Why a person should look: short sentences --------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class KeyHasNoAnswer(Kind):
    """A file conflicts, and the key says nothing of it."""

    file: str


@dataclass(frozen=True, slots=True)
class NotByLines(Kind):
    """A file that conflicted is binary now, or too large to be read line by line."""

    file: str


@dataclass(frozen=True, slots=True)
class TwoReadings(Kind):
    """A file can be read in two ways that earn differently."""

    file: str


@dataclass(frozen=True, slots=True)
class RoughReading(Kind):
    """A file is too far from the merge for its hunks to be placed exactly."""

    file: str


@dataclass(frozen=True, slots=True)
class BlankLinesDiffer(Kind):
    """A hunk differs from the key in blank lines alone."""

    file: str
    hunk: int


@dataclass(frozen=True, slots=True)
class PossibleMarker(Kind):
    """A line may be a part of a conflict marker."""

    file: str
    line: int
    sign: str
    text: str


@dataclass(frozen=True, slots=True)
class RuleUnchecked(Kind):
    """A rule can't be checked, for a reason in words."""

    reason: str


@dataclass(frozen=True, slots=True)
class UnmergedAtRest(Kind):
    """Paths are unmerged, and nothing is under way."""


@dataclass(frozen=True, slots=True)
class NoSuchCommit(Kind):
    """What is under way brings in a commit that is not there."""

    under_way: str
    commit: str


@dataclass(frozen=True, slots=True)
class RebaseOnBranch(Kind):
    """A rebase is under way, and HEAD is not detached."""

    branch: str


@dataclass(frozen=True, slots=True)
class BranchWithoutCommit(Kind):
    """HEAD is on a branch that has no commit."""

    branch: str


# -- How somebody worked: short sentences ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Aborted(Kind):
    """Operations were given up."""

    rebases: int
    resets: int


@dataclass(frozen=True, slots=True)
class ResetElsewhere(Kind):
    """HEAD was reset to another commit, so often, and where it went last."""

    count: int
    target: str


@dataclass(frozen=True, slots=True)
class Amended(Kind):
    """Commits were amended."""

    count: int


@dataclass(frozen=True, slots=True)
class DatedBefore(Kind):
    """A commit is dated before one that it grew from."""

    commit: str


@dataclass(frozen=True, slots=True)
class MergeInReflog(Kind):
    """No branch has a merge commit that was made."""

    commit: str


@dataclass(frozen=True, slots=True)
class ReplaysInReflog(Kind):
    """No branch has commits that were replayed; the last of them."""

    count: int
    commit: str
    subject: str


@dataclass(frozen=True, slots=True)
class MoreOfThis(Kind):
    """Further things of the same sort."""

    count: int


# -- What a pile of submissions shows: short sentences -------------------------------------------------------


@dataclass(frozen=True, slots=True)
class PassedOver(Kind):
    """Things in a pile that are nobody's submission."""

    pages: int
    empty: int


@dataclass(frozen=True, slots=True)
class NotHandedOut(Kind):
    """A submission is of another ledger; `counts`: it counts all the same."""

    submission: str
    exercise: str
    variant: str
    counts: bool


@dataclass(frozen=True, slots=True)
class NameOfAnother(Kind):
    """A submission bears another learner's name."""

    submission: str
    learner: str
    other: str


@dataclass(frozen=True, slots=True)
class MadeByAnother(Kind):
    """Another learner made commits in a submission."""

    submission: str
    learner: str
    other: str
    name: str


@dataclass(frozen=True, slots=True)
class NothingCame(Kind):
    """Learners who did not hand in what others did."""

    exercise: str
    names: Sequence[str]


@dataclass(frozen=True, slots=True)
class DatedTooEarly(Kind):
    """Commits are dated before they can have been made."""

    submission: str


@dataclass(frozen=True, slots=True)
class Attempts(Kind):
    """A learner handed in so often; the best attempt."""

    learner: str
    exercise: str
    count: int
    best: str


@dataclass(frozen=True, slots=True)
class SharedCommits(Kind):
    """Submissions of several learners share commits."""

    names: Sequence[str]
    count: int
    commits: Sequence[str]
