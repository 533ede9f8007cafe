"""Everything that can be found, as data: one class a kind, with the values that go with it.

No kind holds a sentence; `core.grading.english` has the words. Lists of names are `names`, as many as anybody
reads, with `count`, how many there are. To add a kind, write its class here and its words there; the test of
sentences asks for samples.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from muddled_orchard.core.grading.finding import Kind


class Said(Kind, frozen=True):
    """Something that is in words already: an author's, or a hint."""

    text: str


# -- What was done at all ---------------------------------------------------------------------------------


class NothingAttempted(Kind, frozen=True):
    """The repository is as it was handed out; what was begun meanwhile was given up."""

    rebases: int = 0
    resets: int = 0
    patches: int = 0


class GivenUp(Kind, frozen=True):
    """What was under way when it was handed out was given up."""


class NothingAsked(Kind, frozen=True):
    """Something was done, and nothing of what was asked; `under_way` is what Git has begun."""

    under_way: str | None = None


class StashDropped(Kind, frozen=True):
    """The stash was thrown away instead of being popped."""


class OnlyWorkCommitted(Kind, frozen=True):
    """The work that was handed out uncommitted is committed, and nothing else was done; `on`: where."""

    on: str | None


class HandedOutAt(Kind, frozen=True):
    """It was handed out at a step of the walkthrough, with some of the work done."""

    step: str


class WasGiven(Kind, frozen=True):
    """What is asked was there when it was handed out at a step; `whole`: all of it."""

    step: str
    whole: bool = True


class HandInWhole(Kind, frozen=True):
    """What can't be seen was handed out, and is to be handed in."""


# -- finished ---------------------------------------------------------------------------------------------


class NotInBundle(Kind, frozen=True):
    """A bundle can't show this."""

    what: Literal["pending", "working tree"]


class NotShownHere(Kind, frozen=True):
    """Commits alone can't show whether what is asked was done."""


class Unmerged(Kind, frozen=True):
    """Paths are unmerged; `resolved`: none of them has markers any more."""

    under_way: str | None
    names: tuple[str, ...]
    count: int
    resolved: bool


class NotLeft(Kind, frozen=True):
    """An operation is under way that was to be given up."""

    under_way: str


class NotCompleted(Kind, frozen=True):
    """An operation is under way, with nothing unmerged."""

    under_way: str


class NotCommitted(Kind, frozen=True):
    """Files were changed by hand, and nothing was committed."""

    names: tuple[str, ...]
    count: int


class NotDone(Kind, frozen=True):
    """Tasks that were not done, in their operations' words."""

    names: tuple[str, ...]
    count: int
    tasks: int


class NothingPending(Kind, frozen=True):
    """Everything came to its end; `committed`: there was something to commit."""

    committed: bool


# -- markers ----------------------------------------------------------------------------------------------


class NoMarkers(Kind, frozen=True):
    """No marker is left."""


class MarkersLeft(Kind, frozen=True):
    """Markers are left: the first one, what it is, how it reads, and how many there are."""

    file: str
    line: int
    sign: str
    text: str
    count: int


class MarkersMended(Kind, frozen=True):
    """Markers were committed, and taken out later."""

    file: str
    commit: str


# -- history ----------------------------------------------------------------------------------------------


class NothingToCommit(Kind, frozen=True):
    """No task leaves a commit."""


class MergedTooEarly(Kind, frozen=True):
    """A branch was merged before one that was asked for earlier."""

    branch: str
    before: str


class MergeInstead(Kind, frozen=True):
    """There is a merge commit where a replay was asked; `asked` is that in its operation's words."""

    asked: str


class BegunAndGivenUp(Kind, frozen=True):
    """An operation was begun and given up, as asked."""

    asked: str


class NotGivenUp(Kind, frozen=True):
    """An operation that was to be given up was carried out."""

    asked: str


class StillUnderWay(Kind, frozen=True):
    """An operation that was to be given up is under way."""

    asked: str


class NoReflog(Kind, frozen=True):
    """There is no reflog, which alone shows what was begun and given up."""

    asked: str


class SetBack(Kind, frozen=True):
    """A branch stands at the commit where it was to stand."""

    on: str
    commit: str


class UndoneInstead(Kind, frozen=True):
    """Further commits undo what was to be taken out of a branch."""

    on: str
    asked: str


class SetElsewhere(Kind, frozen=True):
    """A branch stands neither where it stood nor where it was to stand."""

    on: str
    asked: str


class ListCarriedOut(Kind, frozen=True):
    """Every line of an interactive rebase was carried out."""

    count: int
    asked: str


class NotInListedOrder(Kind, frozen=True):
    """The commits are there, in another order than the list has them."""


class NotDropped(Kind, frozen=True):
    """A commit is still there that was to be dropped."""

    commit: str
    subject: str


class StillOnItsOwn(Kind, frozen=True):
    """A commit is still one of its own that was to become a part of another."""

    commit: str
    subject: str


class NotReworded(Kind, frozen=True):
    """A commit still says what it said, and was to be reworded."""

    commit: str
    subject: str


class NeverBegun(Kind, frozen=True):
    """A replay was never begun."""

    asked: str


class StoppedAt(Kind, frozen=True):
    """A replay stopped at a step."""

    step: int
    steps: int
    asked: str


class ReplayUncommitted(Kind, frozen=True):
    """What was to become commits lies uncommitted, and nothing is under way that would commit it."""

    asked: str


class OtherBase(Kind, frozen=True):
    """Replayed commits do not stand on the new base, or where there is none (`base` is None) on their branch
    as it was."""

    base: str | None
    on: str
    asked: str


class NeverFetched(Kind, frozen=True):
    """What was brought in of the remote is what was known of it before, and no fetch was made."""

    source: str
    asked: str


class RebasedOther(Kind, frozen=True):
    """The new base was rebased onto the branch, the wrong way round."""

    on: str
    source: str


class SquashedInto(Kind, frozen=True):
    """Commits (by subject) have become a part of another one."""

    names: tuple[str, ...]
    count: int
    commit: str


class NotReplayed(Kind, frozen=True):
    """Commits (by subject) are missing."""

    names: tuple[str, ...]
    count: int


class RangeBeganLate(Kind, frozen=True):
    """The first commit of a range is missing, as if it had been named where the range begins after it."""

    subject: str


class Reworded(Kind, frozen=True):
    """A replayed commit has another subject."""

    commit: str
    now: str
    wanted: str


class OtherAuthor(Kind, frozen=True):
    """A replayed commit has another author; `command` would have kept the right one."""

    commit: str
    now: str
    wanted: str
    command: str


class Reordered(Kind, frozen=True):
    """Replayed commits are in another order."""


class ReplayedTwice(Kind, frozen=True):
    """A commit was replayed a second time."""

    commit: str
    subject: str


class ForeignCommit(Kind, frozen=True):
    """A commit of the learner's lies among the replayed ones."""

    commit: str
    subject: str


class ReplayedElsewhere(Kind, frozen=True):
    """The replayed commits are right, and on another branch (None: on none)."""

    branch: str | None
    on: str


class NothingToReplay(Kind, frozen=True):
    """Nothing was left of all commits."""

    count: int
    asked: str


class Replayed(Kind, frozen=True):
    """So many commits of so many were replayed as asked."""

    done: int
    steps: int
    asked: str


class NotSquashed(Kind, frozen=True):
    """A merge commit where one plain commit was asked."""

    commit: str


class NotFastForward(Kind, frozen=True):
    """A merge commit where a fast-forward was asked."""

    commit: str


class MovedOn(Kind, frozen=True):
    """A fast-forward; `asked`: it was not to be one."""

    on: str
    source: str
    merge_asked: bool


class MovedOnUnsquashed(Kind, frozen=True):
    """A branch was only moved on, and one commit of all that the other has was asked for."""

    on: str
    source: str


class WrongWayRound(Kind, frozen=True):
    """The branch was merged into the one that was to be merged."""

    commit: str
    on: str
    source: str


class OlderMerged(Kind, frozen=True):
    """An older commit of the branch was merged."""

    commit: str
    source: str


class SquashMerged(Kind, frozen=True):
    """The branch came in as one plain commit; `asked`: as it was to."""

    commit: str
    on: str
    source: str
    asked: bool


class RebasedInstead(Kind, frozen=True):
    """The commits were rebased where a merge was asked."""

    on: str
    source: str


class NoMergeYet(Kind, frozen=True):
    """The merge is under way; `sides_swapped`: the wrong way round."""

    on: str
    source: str
    sides_swapped: bool


class BranchReset(Kind, frozen=True):
    """The branch was set to a commit that lacks what it had."""

    commit: str
    on: str
    source: str


class MergedByHand(Kind, frozen=True):
    """Files were changed, and nothing was merged."""


class NeverMerged(Kind, frozen=True):
    """Nothing of the merge is there."""

    on: str
    source: str


class RewrittenBefore(Kind, frozen=True):
    """The merge is right, and its branch was rewritten before."""

    commit: str
    on: str
    source: str


class AlsoMerged(Kind, frozen=True):
    """The merge commit has further parents."""

    commit: str
    source: str
    names: tuple[str, ...]
    count: int


class CameInWith(Kind, frozen=True):
    """A branch came in with another one that it had been merged into."""

    commit: str
    source: str
    other: str


class Merged(Kind, frozen=True):
    """As asked. `moved_on`: the other branch had further commits by then; `in_parts`: an older commit of it
    was merged first."""

    commit: str
    on: str
    source: str
    moved_on: bool
    in_parts: bool


class MadeElsewhere(Kind, frozen=True):
    """The commit is right, and on another branch (None: on none). `squash`: it is no merge commit."""

    commit: str
    branch: str | None
    on: str
    squash: bool


# -- work -------------------------------------------------------------------------------------------------


class NoWork(Kind, frozen=True):
    """Everything was committed when it was handed out."""


class WorkKept(Kind, frozen=True):
    """What was not committed is all there; `count` is of files."""

    count: int


class WorkLost(Kind, frozen=True):
    """What was not committed is nowhere any more."""

    names: Sequence[str]
    count: int


# -- message ----------------------------------------------------------------------------------------------


class NoMessageAsked(Kind, frozen=True):
    """The scenario asks for no particular messages."""


class NoCommitLeft(Kind, frozen=True):
    """Messages were asked for, and no commit is left that could have one."""


class NoMessageYet(Kind, frozen=True):
    """There is no commit on a branch whose message could be read."""

    on: str


class MessagesAsAsked(Kind, frozen=True):
    """Every message is as asked."""

    count: int


class MessageBreaks(Kind, frozen=True):
    """A message does not hold the rules of the task; `flaw` says which in words."""

    commit: str
    subject: str
    flaw: str


class MessageNotGits(Kind, frozen=True):
    """A message is not the one that Git proposes (`merge`), or the one that the replayed commit had."""

    commit: str
    subject: str
    merge: bool


class MessageIsGits(Kind, frozen=True):
    """A message is just that one, where own words were asked for."""

    commit: str
    subject: str
    merge: bool


class MessageTooShort(Kind, frozen=True):
    """A message of one word."""

    commit: str
    subject: str


class MessageTooLong(Kind, frozen=True):
    """The first line of a message has more letters than the most."""

    commit: str
    letters: int
    most: int


# -- resolution -------------------------------------------------------------------------------------------


class NothingConflicts(Kind, frozen=True):
    """The scenario has no conflict."""


class KeyIsSilent(Kind, frozen=True):
    """The key accepts nothing for any conflict."""


class AllResolved(Kind, frozen=True):
    """Every conflict is resolved as accepted."""

    count: int


class ConflictWrong(Kind, frozen=True):
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


class MoreWrong(Kind, frozen=True):
    """Further conflicts are not right."""

    count: int


class NeverMet(Kind, frozen=True):
    """Conflicts that were never come to."""

    count: int


# -- rest -------------------------------------------------------------------------------------------------


class CameThrough(Kind, frozen=True):
    """Nothing outside the conflicts was changed."""


class Departures(Kind, frozen=True):
    """Places outside the conflicts that are not as they should be.

    `group`: `beyond`, more than a hunk had to be changed; `clean`, what merges cleanly had to be; `lost`,
    what `side` changed was lost; `further`, it was lost in a conflict that the key does not have; `changed`,
    all else. Each of `places` has a path, a line (or None), a text,
    and `what`: `missing`, `back`, `left`, `new`, `deleted`, `added`, `changed`, `executable`, `plain`, or the
    two modes of another kind of entry.
    """

    group: Literal["beyond", "clean", "lost", "further", "changed"]
    side: str | None
    places: Sequence[Sequence[Any]]
    count: int


class NothingOfSide(Kind, frozen=True):
    """Nothing of a side came in."""

    side: str


class WholeFileOfSide(Kind, frozen=True):
    """A whole file is a side's."""

    file: str
    side: str


class OtherParent(Kind, frozen=True):
    """A merge was undone as seen from a parent that was not asked for; parents count from 1."""

    commit: str
    parent: int
    asked: int


class PickedToo(Kind, frozen=True):
    """A commit was picked that was not to be."""

    commit: str
    subject: str


# -- rules ------------------------------------------------------------------------------------------------


class NoRules(Kind, frozen=True):
    """The scenario has no rules."""


class RulesNotRun(Kind, frozen=True):
    """The scenario's rules run commands, and that was not asked for."""

    count: int


class CommandFailed(Kind, frozen=True):
    """A command of a rule did not end with 0; `what` says how it ended, `why` is the author's reason."""

    command: str
    what: str
    why: str


class RulesUndecided(Kind, frozen=True):
    """Whether its rules hold can't be decided."""


class RulesHold(Kind, frozen=True):
    """All of them hold."""


class RuleBroken(Kind, frozen=True):
    """One does not: `what` are the words of the rule, `why` those of its author."""

    file: str
    line: int | None
    what: str
    why: str


# -- bystanders and the remote ----------------------------------------------------------------------------


class Undisturbed(Kind, frozen=True):
    """Every other ref is where it was."""


class BranchGone(Kind, frozen=True):
    """A branch was deleted, or renamed to another."""

    branch: str
    renamed_to: str | None


class BranchRewritten(Kind, frozen=True):
    """A branch lacks the commit at which it stood."""

    branch: str
    commit: str


class BranchMoved(Kind, frozen=True):
    """A branch was moved on."""

    branch: str
    before: str
    now: str


class ToBeLeftAlone(Kind, frozen=True):
    """So many branches were to stay where they were."""

    count: int


class GoneFromOrigin(Kind, frozen=True):
    """A branch of the remote is gone."""

    branch: str


class OverwrittenAtOrigin(Kind, frozen=True):
    """A branch of the remote lacks the commit at which it stood."""

    branch: str
    commit: str


class OriginHas(Kind, frozen=True):
    """A branch of the remote stands elsewhere."""

    branch: str
    commit: str


# -- tidy -------------------------------------------------------------------------------------------------


class Tidy(Kind, frozen=True):
    """Nothing is left lying about."""


class Detached(Kind, frozen=True):
    """HEAD is detached."""

    wanted: str


class OtherCheckedOut(Kind, frozen=True):
    """Another branch is checked out (None where HEAD is detached)."""

    now: str | None
    wanted: str


class BackupsCommitted(Kind, frozen=True):
    """Backup files were committed."""

    names: tuple[str, ...]
    count: int


class LeftUntracked(Kind, frozen=True):
    """Untracked files; `backups`: all of them are backup files."""

    names: tuple[str, ...]
    count: int
    backups: bool


class NotClean(Kind, frozen=True):
    """Files have uncommitted changes."""

    names: tuple[str, ...]
    count: int


class StashLeft(Kind, frozen=True):
    """There is work in the stash."""


# -- delivered --------------------------------------------------------------------------------------------


class NothingToDeliver(Kind, frozen=True):
    """Nothing was to be pushed or deleted."""


class RemoteUnseen(Kind, frozen=True):
    """The remote was not handed in."""


class NotPushed(Kind, frozen=True):
    """The remote does not have a branch as it is here; `nothing`: it has it as it was handed out."""

    branch: str
    nothing: bool


class NotDeleted(Kind, frozen=True):
    """A branch is still there, or at the remote."""

    branch: str
    at_origin: bool


class Delivered(Kind, frozen=True):
    """All of it: `pushed` and `deleted` say what was asked."""

    pushed: bool
    deleted: bool


# -- Why a person should look: short sentences --------------------------------------------------------------


class KeyHasNoAnswer(Kind, frozen=True):
    """A file conflicts, and the key says nothing of it."""

    file: str


class JudgedByTheEnd(Kind, frozen=True):
    """A file in which merges in another order met other conflicts, so that only its end can be compared."""

    file: str


class NotByLines(Kind, frozen=True):
    """A file that conflicted is binary now, or too large to be read line by line."""

    file: str


class TwoReadings(Kind, frozen=True):
    """A file can be read in two ways that earn differently."""

    file: str


class RoughReading(Kind, frozen=True):
    """A file is too far from the merge for its hunks to be placed exactly."""

    file: str


class BlankLinesDiffer(Kind, frozen=True):
    """A hunk differs from the key in blank lines alone."""

    file: str
    hunk: int


class PossibleMarker(Kind, frozen=True):
    """A line may be a part of a conflict marker."""

    file: str
    line: int
    sign: str
    text: str


class RuleUnchecked(Kind, frozen=True):
    """A rule can't be checked, for a reason in words."""

    reason: str


class NoSuchCommit(Kind, frozen=True):
    """What is under way brings in a commit that is not there."""

    under_way: str
    commit: str


class RebaseOnBranch(Kind, frozen=True):
    """A rebase is under way, and HEAD is not detached."""

    branch: str


class BranchWithoutCommit(Kind, frozen=True):
    """HEAD is on a branch that has no commit."""

    branch: str


# -- How somebody worked: short sentences ------------------------------------------------------------------


class Aborted(Kind, frozen=True):
    """Operations were given up."""

    rebases: int
    resets: int
    patches: int = 0


class ResetElsewhere(Kind, frozen=True):
    """HEAD was reset to another commit, so often, and where it went last."""

    count: int
    target: str


class Amended(Kind, frozen=True):
    """Commits were amended."""

    count: int


class DatedBefore(Kind, frozen=True):
    """A commit is dated before one that it grew from."""

    commit: str


class MergeInReflog(Kind, frozen=True):
    """No branch has a merge commit that was made."""

    commit: str


class ReplaysInReflog(Kind, frozen=True):
    """No branch has commits that were replayed; the last of them."""

    count: int
    commit: str
    subject: str


class MoreOfThis(Kind, frozen=True):
    """Further things of the same sort."""

    count: int


# -- What a pile of submissions shows: short sentences -------------------------------------------------------


class PassedOver(Kind, frozen=True):
    """Things in a pile that are nobody's submission."""

    pages: int
    empty: int


class NotHandedOut(Kind, frozen=True):
    """A submission is of another ledger; `counts`: it counts all the same."""

    submission: str
    exercise: str
    variant: str
    counts: bool


class NameOfAnother(Kind, frozen=True):
    """A submission bears another learner's name."""

    submission: str
    learner: str
    other: str


class MadeByAnother(Kind, frozen=True):
    """Another learner made commits in a submission."""

    submission: str
    learner: str
    other: str
    name: str


class NothingCame(Kind, frozen=True):
    """Learners who did not hand in what others did."""

    exercise: str
    names: Sequence[str]


class DatedTooEarly(Kind, frozen=True):
    """Commits are dated before they can have been made."""

    submission: str


class Attempts(Kind, frozen=True):
    """A learner handed in so often; the best attempt."""

    learner: str
    exercise: str
    count: int
    best: str


class SettledNoMore(Kind, frozen=True):
    """A person's verdict is on something that this grading has no more."""

    by: str
    about: str


class SharedCommits(Kind, frozen=True):
    """Submissions of several learners share commits."""

    names: Sequence[str]
    count: int
    commits: Sequence[str]
