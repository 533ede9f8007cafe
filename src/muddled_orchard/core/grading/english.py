"""The phrasebook: what judges found, in English."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import singledispatch
from typing import Any

from muddled_orchard.core.base.phrases import all_of, be, brief, counted, have, listed, times, was
from muddled_orchard.core.git.commits import name_of, short
from muddled_orchard.core.git.trees import kind_of
from muddled_orchard.core.git.under_way import UNDER_WAY
from muddled_orchard.core.grading import kinds
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.merging.keep import KEEP, choice_of


def sentences(found: Iterable[Kind]) -> str:
    """What was found, a sentence or more each, each said once."""
    return " ".join(dict.fromkeys(say(one) for one in found))


@singledispatch
def say(found: Kind) -> str:
    """What was found, as a sentence. Raises TypeError for a kind that has no words here."""
    raise TypeError(type(found).__name__)


def _names(names: Sequence[str], count: int) -> str:
    """`a`, `a and b`; of more than four the first three."""
    return listed(names) if count <= 4 else f"{', '.join(names[:3])} and {count - 3} more"


def _given_up(found: kinds.NothingAttempted | kinds.Aborted) -> str:
    """That operations were given up, without a capital; nothing where none were."""
    parts = [f"{counted(found.rebases, 'rebase')} {was(found.rebases)} aborted"] if found.rebases else []
    if found.patches:
        parts.append(f"applying patches was given up {times(found.patches)}")
    if found.resets:
        what = "something was given up or put aside"
        parts.append(f"{what} {times(found.resets)}, as git merge --abort and git stash do")
    return listed(parts)


@say.register
def _(found: kinds.Said) -> str:
    return found.text


# -- What was done at all ---------------------------------------------------------------------------------


@say.register
def _(found: kinds.NothingAttempted) -> str:
    given_up = _given_up(found)
    if not given_up:
        return "Nothing was attempted; the repository is as it was handed out."
    return f"{given_up[0].upper()}{given_up[1:]}; the repository is as it was handed out."


@say.register
def _(_found: kinds.GivenUp) -> str:
    return "What was under way was given up, and nothing else was begun."


@say.register
def _(found: kinds.NothingAsked) -> str:
    under_way = f" A {found.under_way} is under way that was not asked for." if found.under_way else ""
    return f"Nothing of what was asked is there.{under_way}"


@say.register
def _(_found: kinds.StashDropped) -> str:
    return "The stash was thrown away (git stash drop) instead of being popped; its work is in no commit."


@say.register
def _(found: kinds.OnlyWorkCommitted) -> str:
    where = f" on {found.on}" if found.on else ""
    return f"The work that was in the way is committed{where}; what was asked is not begun yet."


@say.register
def _(found: kinds.HandedOutAt) -> str:
    return (
        f"it was handed out at the step {found.step} of the walkthrough; what was done by then earns nothing"
    )


@say.register
def _(found: kinds.WasGiven) -> str:
    what = "This was done" if found.whole else "A part of this was done"
    return f"{what} already when it was handed out, at the step {found.step} of the walkthrough."


@say.register
def _(_found: kinds.HandInWhole) -> str:
    return "What was handed out shows it: hand in the whole folder."


# -- finished ---------------------------------------------------------------------------------------------


@say.register
def _(found: kinds.NotInBundle) -> str:
    what = {
        "pending": "whether anything is still pending",
        "working tree": "the working tree and what is checked out",
    }[found.what]
    return f"A bundle holds commits alone: {what} can't be seen."


@say.register
def _(_found: kinds.NotShownHere) -> str:
    return "Commits alone can't show whether this was done: it takes the whole folder, with the working tree."


@say.register
def _(found: kinds.Unmerged) -> str:
    begun = _unfinished(found.under_way)
    names, count = _names(found.names, found.count), found.count
    if found.resolved:
        return f"{begun}: {names} {be(count)} resolved, but {was(count)} never staged with git add."
    return f"{begun}: {names} {be(count)} still unmerged."


def _unfinished(under_way: str | None) -> str:
    known = UNDER_WAY.get(under_way or "")
    return known.unfinished if known else "Something is unfinished"


@say.register
def _(found: kinds.NotLeft) -> str:
    name, back = UNDER_WAY[found.under_way].name, " ".join(UNDER_WAY[found.under_way].give_up)
    return f"{name[0].upper()}{name[1:]} is still under way, and was to be given up ({back})."


@say.register
def _(found: kinds.NotCompleted) -> str:
    return f"{_unfinished(found.under_way)}: nothing is unmerged any more, but it was not completed."


@say.register
def _(found: kinds.NotCommitted) -> str:
    return f"{_names(found.names, found.count)} {was(found.count)} changed, but nothing was committed."


@say.register
def _(found: kinds.NotDone) -> str:
    names, done = _names(found.names, found.count), found.tasks - found.count
    if found.tasks == 1:
        return f"It was not done: {names}."
    return f"{done} of {found.tasks} tasks {be(done)} done; still to do: {names}."


@say.register
def _(found: kinds.NothingPending) -> str:
    return "Nothing is pending, and the result is committed." if found.committed else "Nothing is pending."


# -- markers ----------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NoMarkers) -> str:
    return "No conflict marker was left behind."


@say.register
def _(found: kinds.MarkersLeft) -> str:
    more = f", and {found.count - 1} more" if found.count > 1 else ""
    place = f"{found.file}, line {found.line}"
    return f"Conflict markers were left behind: {place}, is {found.sign} ({found.text}){more}."


@say.register
def _(found: kinds.MarkersMended) -> str:
    return f"{found.file} was committed with conflict markers in {short(found.commit)} and mended later."


# -- history ----------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NothingToCommit) -> str:
    return "Nothing had to be committed."


@say.register
def _(found: kinds.MergedTooEarly) -> str:
    return f"{found.branch} was merged before {found.before}; it was to come after."


@say.register
def _(found: kinds.MergeInstead) -> str:
    return f"There is a merge commit; the task was to {found.asked}."


@say.register
def _(found: kinds.BegunAndGivenUp) -> str:
    return f"It was begun and given up, and all is as before: {found.asked}."


@say.register
def _(found: kinds.NotGivenUp) -> str:
    return f"It was carried out, and was to be given up: {found.asked}."


@say.register
def _(found: kinds.StillUnderWay) -> str:
    return f"It was begun and is still under way: {found.asked}."


@say.register
def _(found: kinds.NoReflog) -> str:
    return f"Only a reflog shows whether this was done, and none was handed in: {found.asked}."


@say.register
def _(found: kinds.SetBack) -> str:
    return f"{found.on} stands at {short(found.commit)} again."


@say.register
def _(found: kinds.UndoneInstead) -> str:
    undone = f"Further commits on {found.on} undo it, so it is still in the history"
    return f"{undone}; the task was to {found.asked}."


@say.register
def _(found: kinds.SetElsewhere) -> str:
    return f"{found.on} stands at another commit; the task was to {found.asked}."


@say.register
def _(found: kinds.ListCarriedOut) -> str:
    return f"{counted(found.count, 'line')} carried out: {found.asked}."


@say.register
def _(_found: kinds.NotInListedOrder) -> str:
    return "The commits are not in the order of the list."


@say.register
def _(found: kinds.NotDropped) -> str:
    return f'{short(found.commit)} "{brief(found.subject)}" is still there, and was to be dropped.'


@say.register
def _(found: kinds.StillOnItsOwn) -> str:
    return f'{short(found.commit)} "{brief(found.subject)}" was to become a part of the commit before it.'


@say.register
def _(found: kinds.NotReworded) -> str:
    return f'{short(found.commit)} still says "{brief(found.subject)}", and was to be reworded.'


@say.register
def _(found: kinds.NeverBegun) -> str:
    return f"It was never begun: {found.asked}."


@say.register
def _(found: kinds.StoppedAt) -> str:
    return f"It stopped at step {found.step} of {found.steps}: {found.asked}."


@say.register
def _(found: kinds.ReplayUncommitted) -> str:
    return f"What it brings lies in the working tree, and in no commit yet; the task was to {found.asked}."


@say.register
def _(found: kinds.OtherBase) -> str:
    where = f"on {found.base}" if found.base else f"on {found.on} as it was"
    return f"The commits do not stand {where}; the task was to {found.asked}."


@say.register
def _(found: kinds.NeverFetched) -> str:
    lacking = f"{found.source} was not fetched first: what is new there is not in it"
    return f"{lacking}. The task was to {found.asked}."


@say.register
def _(found: kinds.RebasedOther) -> str:
    return (
        f"It was rebased the wrong way round: {found.source} stands on {found.on} now, not {found.on} on it."
    )


@say.register
def _(found: kinds.SquashedInto) -> str:
    sentence = (
        "has no commit of its own any more: it was"
        if found.count == 1
        else "have no commits of their own any more: they were"
    )
    return f"{_names(found.names, found.count)} {sentence} squashed into {short(found.commit)}."


@say.register
def _(found: kinds.NotReplayed) -> str:
    was_it, of_it = ("it was", "it") if found.count == 1 else ("they were", "them")
    sentence = (
        f"{be(found.count)} not among the replayed commits: {was_it} skipped, or nothing was left of {of_it}"
    )
    return f"{_names(found.names, found.count)} {sentence}."


@say.register
def _(found: kinds.RangeBeganLate) -> str:
    return f'"{found.subject}" was not picked. A range A..B begins after A; A^..B has A, too.'


@say.register
def _(found: kinds.Reworded) -> str:
    return f'{short(found.commit)} was reworded: it says "{found.now}", and was "{found.wanted}".'


@say.register
def _(found: kinds.OtherAuthor) -> str:
    wanted, now = map(name_of, (found.wanted, found.now))
    if wanted == now:  # it is the address that differs
        wanted, now = found.wanted, found.now
    sentence = f"{short(found.commit)} does not keep the author {wanted}; it has {now}"
    return f"{sentence} ({found.command} keeps the author, git commit does not)."


@say.register
def _(_found: kinds.Reordered) -> str:
    return "The commits are not in their order any more."


@say.register
def _(found: kinds.ReplayedTwice) -> str:
    return f'{short(found.commit)} replays "{found.subject}" a second time.'


@say.register
def _(found: kinds.ForeignCommit) -> str:
    return f'{short(found.commit)} "{found.subject}" lies among the replayed commits and is none of them.'


@say.register
def _(found: kinds.ReplayedElsewhere) -> str:
    held = found.branch or "a detached HEAD"
    return f"The commits are right, but they are on {held}; {found.on} did not receive them."


@say.register
def _(found: kinds.NothingToReplay) -> str:
    return f"Nothing was left of {counted(found.count, 'commit')} to replay ({found.asked})."


@say.register
def _(found: kinds.Replayed) -> str:
    left = found.steps - found.done
    if not left:
        return f"{counted(found.done, 'commit')} as asked ({found.asked})."
    others = "other" if left == 1 else "others"
    return (
        f"{found.done} of {found.steps} commits as asked ({found.asked}); nothing was left of the {others}."
    )


@say.register
def _(found: kinds.NotSquashed) -> str:
    return f"{short(found.commit)} is a merge commit; one plain commit was asked for (--squash)."


@say.register
def _(found: kinds.NotFastForward) -> str:
    return f"{short(found.commit)} is a merge commit; a fast-forward was asked for."


@say.register
def _(found: kinds.MovedOn) -> str:
    if found.merge_asked:
        return f"{found.on} was only moved on to {found.source}; a merge commit was asked for (--no-ff)."
    return f"{found.on} was moved on to {found.source}; nothing had to be merged."


@say.register
def _(found: kinds.MovedOnUnsquashed) -> str:
    return f"{found.on} was moved on to {found.source}; one plain commit was asked for (--squash)."


@say.register
def _(found: kinds.WrongWayRound) -> str:
    on, source = found.on, found.source
    return (
        f"The merge went the wrong way round: {short(found.commit)} merges {on} into {source}, "
        f"and {source} was to be merged into {on}."
    )


@say.register
def _(found: kinds.OlderMerged) -> str:
    return f"{short(found.commit)} merges an older commit of {found.source}, not its tip."


@say.register
def _(found: kinds.SquashMerged) -> str:
    commit, on, source = short(found.commit), found.on, found.source
    if found.asked:
        return f"{commit} brings {source} into {on} as one commit."
    return (
        f"{commit} has no second parent: for Git, {source} was never merged into {on}. "
        "It was squashed or copied."
    )


@say.register
def _(found: kinds.RebasedInstead) -> str:
    return f"The commits were copied, by a rebase or picks; {found.source} was to be merged into {found.on}."


@say.register
def _(found: kinds.NoMergeYet) -> str:
    way = f" It goes the wrong way round: {found.on} into {found.source}." if found.sides_swapped else ""
    return f"There is no merge commit yet.{way}"


@say.register
def _(found: kinds.BranchReset) -> str:
    sentence = f"{found.on} was set to {short(found.commit)}, and what it had is no longer in it; "
    return f"{sentence}{found.source} was to be merged into {found.on}."


@say.register
def _(_found: kinds.MergedByHand) -> str:
    return "There is no merge: files were changed by hand."


@say.register
def _(found: kinds.NeverMerged) -> str:
    return f"{found.source} was never merged into {found.on}."


@say.register
def _(found: kinds.RewrittenBefore) -> str:
    return f"{short(found.commit)} merges {found.source}, but {found.on} was rewritten before."


@say.register
def _(found: kinds.AlsoMerged) -> str:
    return f"{short(found.commit)} merges {_names(found.names, found.count)} besides {found.source}."


@say.register
def _(found: kinds.CameInWith) -> str:
    return (
        f"{found.source} came in with {found.other}, by {short(found.commit)}; it was to be merged by itself."
    )


@say.register
def _(found: kinds.Merged) -> str:
    more = f" ({found.source} had moved on before)" if found.moved_on else ""
    more += ", after an older commit of it" if found.in_parts else ""
    return f"{short(found.commit)} merges {found.source} into {found.on}{more}."


@say.register
def _(found: kinds.MadeElsewhere) -> str:
    what = "commit" if found.squash else "merge commit"
    beginning = f"The {what} {short(found.commit)} is right, but "
    if found.branch is None:
        return (
            f"{beginning}no branch has it: it was made on a detached HEAD, and {found.on} did not receive it."
        )
    return f"{beginning}it is on {found.branch}; {found.on} did not receive it."


# -- work -------------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NoWork) -> str:
    return "Everything was committed when it was handed out."


@say.register
def _(found: kinds.WorkKept) -> str:
    return f"The work in {counted(found.count, 'file')} that was not committed is still there."


@say.register
def _(found: kinds.WorkLost) -> str:
    return f"The work in {_names(found.names, found.count)} was not committed, and is nowhere any more."


# -- message ----------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NoMessageAsked) -> str:
    return "No message was asked for."


@say.register
def _(_found: kinds.NoCommitLeft) -> str:
    return "No commit is left that could say anything."


@say.register
def _(found: kinds.NoMessageYet) -> str:
    return f"There is no commit on {found.on} yet whose message could be read."


@say.register
def _(found: kinds.MessagesAsAsked) -> str:
    return "The message is as asked." if found.count == 1 else f"{all_of(found.count)} messages are as asked."


@say.register
def _(found: kinds.MessageBreaks) -> str:
    return f'{short(found.commit)} says "{brief(found.subject)}"; in its message {found.flaw}.'


@say.register
def _(found: kinds.MessageNotGits) -> str:
    whose = "Git's own message" if found.merge else "the commit's own message"
    return f'{short(found.commit)} says "{brief(found.subject)}"; {whose} was to be kept.'


@say.register
def _(found: kinds.MessageIsGits) -> str:
    whose = "Git proposed" if found.merge else "the commit said before"
    said = f'{short(found.commit)} says "{brief(found.subject)}", as {whose}'
    return f"{said}; it was to say in own words what it does."


@say.register
def _(found: kinds.MessageTooShort) -> str:
    return f'{short(found.commit)} says only "{brief(found.subject)}", which tells nobody what it does.'


@say.register
def _(found: kinds.MessageTooLong) -> str:
    return (
        f"The first line of {short(found.commit)} has {found.letters} letters; "
        f"Git's lists cut it after some {found.most}."
    )


# -- resolution -------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NothingConflicts) -> str:
    return "Nothing conflicts in this scenario."


@say.register
def _(_found: kinds.KeyIsSilent) -> str:
    return "The key accepts nothing for these conflicts; a person has to look."


@say.register
def _(found: kinds.AllResolved) -> str:
    them = "The conflict is" if found.count == 1 else f"{all_of(found.count)} conflicts are"
    return f"{them} resolved as the key accepts."


@say.register
def _(found: kinds.ConflictWrong) -> str:
    where = f"{found.file}, line {found.line}" if found.line else found.file
    if found.subject:
        where += f' (of "{brief(found.subject)}")'
    if found.renamed:
        where += f", now {found.renamed}"
    part = f", which earns {100 * found.worth:g} % of its points" if found.worth else ""
    sentence = f"{where}: {_kept(found)}{part}{_wanted(found)}."
    other = {"ours": "theirs", "theirs": "ours"}.get(found.kept)
    if other in found.accepted and "new base" in found.ours:
        sentence += (
            " In a rebase ours is the new base, and theirs is your own commit: "
            "this is exactly the other way round than wanted."
        )
    return sentence


def _wanted(found: kinds.ConflictWrong) -> str:
    if found.left_at:
        return f"; wanted: {found.file}"
    if found.kept == "unresolved":
        return ""
    if found.together:
        ways = "; or ".join(" and ".join(_side(found, word) for word in way) for way in found.together)
        return f"; wanted, hunk by hunk: {ways}"
    if found.accepted:
        return f"; wanted: {' or '.join(_side(found, word) for word in found.accepted)}"
    return ""


def _kept(found: kinds.ConflictWrong) -> str:
    if found.left_at:
        return f"it lies at {found.left_at}, where one of the sides had it"
    if found.kept == "unresolved" and found.whole:
        return "the conflict is still there, neither side was chosen"
    swapped = "+".join(reversed(found.kept.split("+")))
    order = " in the wrong order" if swapped != found.kept and swapped in found.accepted else ""
    choice = choice_of(found.kept)
    told = choice.told if choice else f"{found.kept} was kept"
    return told.format(ours=found.ours, theirs=found.theirs, order=order)


def _side(found: kinds.ConflictWrong, word: str) -> str:
    """A word of the key with the branches that it means here."""
    if word == "gone":
        return "no such file"
    names = {"ours": found.ours, "theirs": found.theirs}
    return " and then ".join(names.get(part, part) for part in word.split("+")) if word in KEEP else word


@say.register
def _(found: kinds.MoreWrong) -> str:
    return f"And {counted(found.count, 'more conflict')}."


@say.register
def _(found: kinds.NeverMet) -> str:
    return f"{counted(found.count, 'conflict')} {was(found.count)} never met."


# -- rest -------------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.CameThrough) -> str:
    return "Everything that did not conflict came through as it should."


@say.register
def _(found: kinds.Departures) -> str:
    beginning = {
        "beyond": "Here more than the hunk had to be changed, and that was not",
        "clean": "This merges cleanly and had to be changed all the same",
        "lost": f"What {found.side} changed outside the conflict was lost",
        "further": f"What {found.side} changed was lost in a further conflict that an earlier choice led to",
        "changed": "Something outside the conflict was changed",
    }[found.group]
    more = [f"and {found.count - len(found.places)} more"] if found.count > len(found.places) else []
    return f"{beginning}: {'; '.join([*(_departure(*place) for place in found.places), *more])}."


_OF_LINES = {"missing": "is missing", "back": "came back", "left": "is still there"}


def _departure(path: str, line: int | None, text: str, what: Any) -> str:
    if not isinstance(what, str):
        now, wanted = what
        return f"{path} is {kind_of(now).name} now, and was {kind_of(wanted).name}"
    whole = {
        "deleted": "was deleted",
        "added": "was added",
        **({} if text or line else {"missing": "is missing", "left": "is still there"}),
        "changed": "was changed",
        "executable": "is executable now",
        "plain": "is not executable any more",
    }
    if what in whole:
        return f"{path} {whole[what]}"
    place = f"{path}, line {line}" if line else path
    shown = f'"{text.strip()[:50]}"' if text.strip() else "a blank line"
    return f"{place}: {shown} {_OF_LINES.get(what, 'is new')}"


@say.register
def _(found: kinds.NothingOfSide) -> str:
    return f"Nothing of {found.side} came in at all, as with git merge -s ours."


@say.register
def _(found: kinds.WholeFileOfSide) -> str:
    return f"The whole of {found.file} was taken from {found.side}."


@say.register
def _(found: kinds.OtherParent) -> str:
    how = f"what the merge brought to its parent {found.parent} (git revert -m {found.parent})"
    wanted = f"what it brought to parent {found.asked} was to go (-m {found.asked})"
    return f"{short(found.commit)} takes back {how}; {wanted}."


@say.register
def _(found: kinds.PickedToo) -> str:
    return f'"{found.subject}" was picked, too ({short(found.commit)}), and was not to be.'


# -- rules ------------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NoRules) -> str:
    return "This scenario has no rules of its own."


@say.register
def _(_found: kinds.RulesUndecided) -> str:
    return "Whether the scenario's own checks hold can't be decided; a person has to look."


@say.register
def _(_found: kinds.RulesHold) -> str:
    return "The scenario's own checks hold."


@say.register
def _(found: kinds.RulesNotRun) -> str:
    them = "A command" if found.count == 1 else f"{found.count} commands"
    return f"{them} would have to be run over the result (grade --run-rules)."


@say.register
def _(found: kinds.CommandFailed) -> str:
    why = f" {found.why.strip()}" if found.why else ""
    return f"{found.command}: {found.what}.{why}"


@say.register
def _(found: kinds.RuleBroken) -> str:
    place = f"{found.file}, line {found.line}" if found.line else found.file
    return f"{place}: {found.what}.{f' {found.why}' if found.why else ''}"


# -- bystanders and the remote ----------------------------------------------------------------------------


@say.register
def _(_found: kinds.Undisturbed) -> str:
    return "Everything else stands where it stood."


@say.register
def _(found: kinds.BranchGone) -> str:
    what = f"was renamed to {found.renamed_to}" if found.renamed_to else "was deleted"
    return f"{found.branch} {what}."


@say.register
def _(found: kinds.BranchRewritten) -> str:
    return f"{found.branch} was rewritten: {short(found.commit)} is no longer in it."


@say.register
def _(found: kinds.BranchMoved) -> str:
    return f"{found.branch} was moved on from {short(found.before)} to {short(found.now)}."


@say.register
def _(found: kinds.ToBeLeftAlone) -> str:
    return f"{'It was' if found.count == 1 else 'They were'} to be left alone."


@say.register
def _(found: kinds.GoneFromOrigin) -> str:
    return f"{found.branch} is gone from origin."


@say.register
def _(found: kinds.OverwrittenAtOrigin) -> str:
    return f"{found.branch} was overwritten at origin: {short(found.commit)} is no longer in it."


@say.register
def _(found: kinds.OriginHas) -> str:
    return f"origin has {found.branch} at {short(found.commit)} now."


# -- tidy -------------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.Tidy) -> str:
    return "The right branch is checked out and nothing was left lying about."


@say.register
def _(found: kinds.Detached) -> str:
    return f"HEAD is detached; {found.wanted} should be checked out."


@say.register
def _(found: kinds.OtherCheckedOut) -> str:
    return f"{found.now} is checked out; it should be {found.wanted}."


@say.register
def _(found: kinds.BackupsCommitted) -> str:
    return f"{_names(found.names, found.count)} {was(found.count)} committed, {_backups(found.count)}."


@say.register
def _(found: kinds.LeftUntracked) -> str:
    kind = f"left behind, {_backups(found.count)}" if found.backups else "left behind untracked"
    return f"{_names(found.names, found.count)} {was(found.count)} {kind}."


def _backups(count: int) -> str:
    return "a backup file" if count == 1 else "backup files"


@say.register
def _(found: kinds.NotClean) -> str:
    changes = f"{_names(found.names, found.count)} {have(found.count)} uncommitted changes"
    return f"The working tree is not clean: {changes}."


@say.register
def _(_found: kinds.StashLeft) -> str:
    return "There is work left in the stash."


# -- delivered --------------------------------------------------------------------------------------------


@say.register
def _(_found: kinds.NothingToDeliver) -> str:
    return "Nothing was to be pushed or deleted."


@say.register
def _(_found: kinds.RemoteUnseen) -> str:
    return "Only the repository was handed in; the remote beside it can't be seen."


@say.register
def _(found: kinds.NotPushed) -> str:
    if found.nothing:
        return f"origin has {found.branch} as it was handed out: nothing was pushed."
    return f"origin does not have {found.branch} as it is here; it was not pushed."


@say.register
def _(found: kinds.NotDeleted) -> str:
    if found.at_origin:
        return f"origin still has {found.branch}; it was to be deleted."
    return f"{found.branch} still exists; it was to be deleted."


@say.register
def _(found: kinds.Delivered) -> str:
    asked = [word for word, wanted in (("pushed", found.pushed), ("deleted", found.deleted)) if wanted]
    return f"What was to be {' and '.join(asked)} is."


# -- Why a person should look: short sentences --------------------------------------------------------------


@say.register
def _(found: kinds.KeyHasNoAnswer) -> str:
    return f"{found.file} conflicts, and the key has no answer for it"


@say.register
def _(found: kinds.JudgedByTheEnd) -> str:
    return f"the merges were made in another order, so {found.file} is judged by what it reads in the end"


@say.register
def _(found: kinds.NotByLines) -> str:
    return f"{found.file} is binary now, or too large to be read line by line"


@say.register
def _(found: kinds.TwoReadings) -> str:
    return f"{found.file}: it can be read in two ways that fit equally well; the better one was counted"


@say.register
def _(found: kinds.RoughReading) -> str:
    return f"{found.file}: it is so far from the merge that its hunks could only be placed roughly"


@say.register
def _(found: kinds.BlankLinesDiffer) -> str:
    return f"{found.file}: hunk {found.hunk} differs from the key in blank lines alone"


@say.register
def _(found: kinds.PossibleMarker) -> str:
    return f"{found.file}, line {found.line}: this may be {found.sign} ({found.text})"


@say.register
def _(found: kinds.RuleUnchecked) -> str:
    return f"a rule can't be checked: {found.reason}"


@say.register
def _(found: kinds.NoSuchCommit) -> str:
    return f"a {found.under_way} of {short(found.commit)} is under way, but there is no such commit"


@say.register
def _(found: kinds.RebaseOnBranch) -> str:
    return f"a rebase is under way, though HEAD is on {found.branch} and not detached"


@say.register
def _(found: kinds.BranchWithoutCommit) -> str:
    return f"HEAD is on {found.branch}, which has no commit"


# -- How somebody worked: short sentences ------------------------------------------------------------------


@say.register
def _(found: kinds.Aborted) -> str:
    return _given_up(found)


@say.register
def _(found: kinds.ResetElsewhere) -> str:
    return f"reset {times(found.count)}, last to {found.target}"


@say.register
def _(found: kinds.Amended) -> str:
    return f"{counted(found.count, 'commit')} amended"


@say.register
def _(found: kinds.DatedBefore) -> str:
    return f"{short(found.commit)} is dated before a commit that it grew from"


@say.register
def _(found: kinds.MergeInReflog) -> str:
    return f"the merge commit {short(found.commit)} is only in the reflog: no branch holds it"


@say.register
def _(found: kinds.ReplaysInReflog) -> str:
    rest = f"{counted(found.count, 'replayed commit')} only in the reflog"
    return f'{rest}, the last {short(found.commit)} "{found.subject}"'


@say.register
def _(found: kinds.MoreOfThis) -> str:
    return f"and {counted(found.count, 'more thing')} of this kind"


# -- What a pile of submissions shows: short sentences -------------------------------------------------------


@say.register
def _(found: kinds.PassedOver) -> str:
    parts = [counted(found.pages, "page")] if found.pages else []
    if found.empty:
        parts.append("1 empty entry" if found.empty == 1 else f"{found.empty} empty entries")
    return f"{listed(parts)} {was(found.pages + found.empty)} passed over"


@say.register
def _(found: kinds.NotHandedOut) -> str:
    about = f"{found.exercise}, variant {found.variant}"
    nobody = "" if found.counts else "; it counts for nobody"
    return f"{found.submission} was not handed out by this ledger ({about}){nobody}"


@say.register
def _(found: kinds.NameOfAnother) -> str:
    return f"{found.submission} bears the name of {found.other}, but it is {found.learner}'s hand-out"


@say.register
def _(found: kinds.MadeByAnother) -> str:
    maker = f"{found.name} ({found.other})"
    return f"{found.submission} is {found.learner}'s hand-out, and {maker} made commits in it"


@say.register
def _(found: kinds.NothingCame) -> str:
    return f"{found.exercise}: nothing came from {listed(found.names, most=12)}"


@say.register
def _(found: kinds.DatedTooEarly) -> str:
    return f"{found.submission} has commits that are dated before it was handed out"


@say.register
def _(found: kinds.Attempts) -> str:
    often = f"{found.learner} handed {found.exercise} in {times(found.count)}"
    return f"{often}; the best counts ({found.best})"


@say.register
def _(found: kinds.SettledNoMore) -> str:
    return f"the verdict of {found.by} on {found.about} holds no more: this grading has no such thing"


@say.register
def _(found: kinds.SharedCommits) -> str:
    shown = _names([short(commit) for commit in found.commits], found.count)
    them = "it" if found.count == 1 else "them"
    share = f"{listed(found.names)} share {counted(found.count, 'commit')}"
    return f"{share} ({shown}), though only one made {them}"
