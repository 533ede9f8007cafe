"""history: the graph has the asked shape, and the right branch received the result."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby

from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.commits import contains, short
from muddled_orchard.core.git.refs import REMOTE, is_on_remote, tracking_ref
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly, skipped, unseen
from muddled_orchard.core.grading.case import Case, TaskCase
from muddled_orchard.core.grading.criteria import resolution
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.criteria.history_of_todo import judge_todo
from muddled_orchard.core.grading.finding import Kind, few
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.grading.kinds.history import (
    AlsoMerged,
    BegunAndGivenUp,
    BranchReset,
    CameInWith,
    MadeElsewhere,
    Merged,
    MergedByHand,
    MergedTooEarly,
    MergeInstead,
    MovedOn,
    MovedOnUnsquashed,
    NeverBegun,
    NeverMerged,
    NoMergeYet,
    NoReflog,
    NotFastForward,
    NotGivenUp,
    NothingToCommit,
    NotSquashed,
    OlderMerged,
    RebasedInstead,
    RewrittenBefore,
    SetBack,
    SetElsewhere,
    SquashMerged,
    StillUnderWay,
    UndoneInstead,
    WrongWayRound,
)
from muddled_orchard.core.grading.kinds.replays import (
    ForeignCommit,
    NeverFetched,
    NothingToReplay,
    NotReplayed,
    OtherAuthor,
    OtherBase,
    RangeBeganLate,
    RebasedOther,
    Reordered,
    Replayed,
    ReplayedElsewhere,
    ReplayedTwice,
    ReplayUncommitted,
    Reworded,
    SquashedInto,
    StoppedAt,
)
from muddled_orchard.core.grading.locating.attempts import brings_only_conflicts
from muddled_orchard.core.grading.locating.matching import keeps_author, subject_of
from muddled_orchard.core.grading.locating.replayed import stands_on
from muddled_orchard.core.grading.locating.results import stopped_at


def judge(case: Case) -> Outcome:
    """Judge each task's shape; the criterion is the average of them."""
    verdicts = []
    for _, group in groupby(case.judged, key=lambda task: task.step.task):
        steps = list(group)
        if steps[0].task.stays_uncommitted or steps[0].result.shape == "nothing to do":
            continue
        if not steps[0].result.leaves_commit:
            verdicts.append(_of_still(case, steps[0]))
            continue
        if steps[0].task.todo is not None:
            verdicts.append(judge_todo(case, steps))
            continue
        verdict = _of_merge(case, steps[0]) if steps[0].task.joins else _of_replays(case, steps)
        verdicts.append(_in_order(case, steps[0], verdict))
    if not verdicts:
        return skipped(NothingToCommit())
    # What can't be seen here neither costs nor earns, beside others.
    verdicts = [verdict for verdict in verdicts if not verdict.unseen] or verdicts
    if len(verdicts) == 1:
        return verdicts[0]
    share = sum(verdict.share for verdict in verdicts) / len(verdicts)
    shown = verdicts if share == 1 else [verdict for verdict in verdicts if verdict.share < 1]
    where = tuple(place for verdict in verdicts for place in verdict.where)
    return partly([restored(finding) for verdict in shown for finding in verdict.findings], share, where)


def _of_still(case: Case, task: TaskCase) -> Outcome:
    """An operation that was to be given up, or a branch that was to be set back."""
    on, asked = task.task.on, case.key.told(task.task)
    place = (Place(commit=case.evidence.branch(on)),)
    match task.result.shape:
        case "given up":
            return met(BegunAndGivenUp(asked))
        case "carried out":
            return missed(NotGivenUp(asked), place)
        case "set back":
            return met(SetBack(on, task.step.theirs))
        case "undone":
            return missed(UndoneInstead(on, asked), place)
        case "other":
            return missed(SetElsewhere(on, asked), place)
        case "pending":
            return missed(StillUnderWay(asked))
    if task.result.shape == "not seen":
        return unseen(NoReflog(asked))
    return missed(NeverBegun(asked))


def _in_order(case: Case, task: TaskCase, verdict: Outcome) -> Outcome:
    """A verdict on a merge that is right, unless it was made before one that was asked for earlier."""
    made = task.result.result_commit
    if verdict.share < 1 or not made or task.result.shape not in ("merge", "squash"):
        return verdict
    for other in case.tasks:
        later = other.step.task < task.step.task and other.result.shape in ("merge", "squash", "reversed")
        if (
            later
            and other.result.result_commit != made
            and contains(case.commits, other.result.result_commit, made)
        ):
            merged_too_early = MergedTooEarly(task.task.source, other.task.source)
            return partly(merged_too_early, where=(Place(commit=made),))
    return verdict


def _of_replays(case: Case, steps: list[TaskCase]) -> Outcome:
    """A rebase, cherry-pick or revert: every commit there, once, in order, on what it should stand on."""
    task = steps[0].task
    result = steps[0].result
    asked = case.key.told(task)
    shapes = [step.result.shape for step in steps]
    if "other" in shapes:
        return missed(MergeInstead(asked), (Place(commit=result.result_commit),))
    if all(shape == "none" for shape in shapes):
        if task.replays_own and _is_turned_round(case, steps[0]):
            return missed(RebasedOther(task.on, task.source))
        return missed(NeverBegun(asked))
    done = [step for step in steps if step.result.shape == "replayed"]
    if "by hand" in shapes:
        return missed(ReplayUncommitted(asked))
    if (stopped := stopped_at(shapes)) is not None:
        return missed(StoppedAt(stopped, len(steps), asked))
    base = steps[0].step.ours
    if not stands_on(case.commits, result, base) and steps[0].step.task == 1:
        place = (Place(commit=result.base_commit),)
        if _stands_on_what_was_known(case, steps[0]):
            return missed(NeverFetched(task.source, asked), place)
        return missed(OtherBase(task.source, task.on, asked), place)
    faults = list(_faults(case, steps))
    if faults:
        lacking = sum(_is_lacking(case, step) for step in steps)
        share = 1 - lacking / len(steps) if lacking else 0.5
        places = tuple(Place(commit=id_) for _, id_ in faults if id_)
        return partly([fault for fault, _ in faults], share, places)
    if result.branch != task.on:
        return partly(ReplayedElsewhere(result.branch, task.on))
    if not done:
        return met(NothingToReplay(len(steps), asked))
    return met(Replayed(len(done), len(steps), asked))


def _is_turned_round(case: Case, step: TaskCase) -> bool:
    """Whether the branch that was to be the new base has been rebased onto the other one."""
    before = step.step.ours
    now, on = case.evidence.branch(step.task.source), case.evidence.branch(step.task.on)
    moved = now is not None and now != before and not contains(case.commits, now, before)
    return moved and on is not None and contains(case.commits, now or "", on)


def _stands_on_what_was_known(case: Case, step: TaskCase) -> bool:
    """Whether replayed commits stand on a branch of the remote as it was known when it was handed out."""
    source = step.task.source
    known = case.key.refs.get(tracking_ref(source.removeprefix(REMOTE)))
    return is_on_remote(source) and known is not None and stands_on(case.commits, step.result, known)


def _faults(case: Case, steps: list[TaskCase]) -> Iterator[tuple[Kind, str | None]]:
    """What is wrong with replayed commits, each with the commit that it is about."""
    yield from _missing(case, steps)
    for step in steps:
        if step.result.shape == "replayed":
            yield from _changed(case, step)
    matches = steps[0].result.matches
    if matches is None:
        return
    if matches.reordered:
        yield Reordered(), None
    others = {task.result.result_commit for task in case.tasks if task.step.task != steps[0].step.task}
    for commit in (one for one in matches.twice if one.id not in others):  # two tasks may ask for the same
        yield ReplayedTwice(commit.id, commit.subject), commit.id
    for commit in matches.foreign:
        if case.submission.is_the_work(commit):
            continue
        yield ForeignCommit(commit.id, commit.subject), commit.id


def _missing(case: Case, steps: list[TaskCase]) -> Iterator[tuple[Kind, str | None]]:
    """Commits that were squashed into another one, skipped or left out."""
    lacking = [step for step in steps if _is_lacking(case, step)]
    into: dict[str, list[str]] = {}
    skipped_ones = []
    for step in lacking:
        holder = step.result.result_commit if step.result.shape == "squashed" else None
        name = f'"{case.commits[step.step.commit or ""].subject}"'
        if holder is None:
            skipped_ones.append(name)
        else:
            into.setdefault(holder, []).append(name)
    for id_, squashed in into.items():
        yield SquashedInto(few(squashed), len(squashed), id_), id_
    if _began_late(steps, lacking):
        yield RangeBeganLate(case.commits[steps[0].step.commit or ""].subject), None
    elif skipped_ones:
        yield NotReplayed(few(skipped_ones), len(skipped_ones)), None


def _began_late(steps: list[TaskCase], lacking: list[TaskCase]) -> bool:
    """Whether the first of several commits to pick is the only one that is missing, and met no conflict at
    which it could have been skipped."""
    first = steps[0]
    return (
        isinstance(first.task, CherryPick) and lacking == [first] != steps and not first.step.merge.conflicts
    )


def _changed(case: Case, step: TaskCase) -> Iterator[tuple[Kind, str | None]]:
    """What a replayed commit no longer says as its original does."""
    made = case.commits[step.result.result_commit or ""]
    original = case.commits[step.step.commit or ""]
    wanted = subject_of(case.commits, step.step)
    # A revert's message is its maker's to write: saying why is good practice. Where messages are asked for,
    # `message` has the cost.
    if made.subject != wanted and step.task.keeps_commits and step.task.message is None:
        yield Reworded(made.id, made.subject, wanted), made.id
    if not keeps_author(case.commits, step.step, made):
        command = " ".join(("git", *step.task.go_on()))
        yield OtherAuthor(made.id, made.author, original.author, command), made.id


def _is_lacking(case: Case, step: TaskCase) -> bool:
    """Whether a commit is missing of which something is left when it is solved as accepted.

    Who keeps the other side in all that it brings has thrown the commit away as well: that costs
    `resolution`, and costs once.
    """
    if step.result.shape == "squashed":
        return True
    readings = [conflict.reading for conflict in step.conflicts if conflict.reading]
    wrong = any(hunk.worth < 1 for reading in readings for hunk in reading.hunks)
    emptied = step.step.becomes_empty(case.commits)
    return (
        step.result.shape == "skipped"
        and not emptied
        and not (wrong and brings_only_conflicts(step.merge, case.commits[step.result.ours].tree, case.texts))
    )


def _of_merge(case: Case, task: TaskCase) -> Outcome:  # noqa: C901 - one case a shape
    result, asked = task.result, task.task
    on, source = asked.on, asked.source
    made = result.result_commit or ""
    place = (Place(commit=result.result_commit),)
    match result.shape:
        case "merge" if asked.squash:
            return missed(NotSquashed(made), place)
        case "merge" if asked.fast_forward == "only":
            return partly(NotFastForward(made), where=place)
        case "merge":
            return _merged(case, task)
        case "fast-forward" if asked.squash:
            return missed(MovedOnUnsquashed(on, source))
        case "fast-forward":
            moved_on = MovedOn(on, source, merge_asked=asked.fast_forward == "never")
            return missed(moved_on) if moved_on.merge_asked else met(moved_on)
        case "reversed":
            return missed(WrongWayRound(made, on, source), place)
        case "stale":
            return missed(OlderMerged(made, source), place)
        case "squash" if asked.squash:
            squashed = SquashMerged(made, on, source, asked=True)
            return _unreceived(task, squash=True) or met(squashed)
        case "squash":
            return missed(SquashMerged(made, on, source, asked=False), place)
        case "rebase":
            return missed(RebasedInstead(on, source), place)
        case "pending":
            return missed(NoMergeYet(on, source, result.sides_swapped))
        case "moved":
            return missed(BranchReset(made, on, source), place)
        case "by hand":
            return missed(MergedByHand())
    return missed(NeverMerged(on, source))


def _merged(case: Case, task: TaskCase) -> Outcome:
    result = task.result
    on, source = task.step.operation.on, task.step.operation.source
    made = result.result_commit or ""
    place = (Place(commit=result.result_commit),)
    if (unreceived := _unreceived(task, squash=False)) is not None:
        return unreceived
    if not contains(case.commits, result.ours, task.step.ours) and not _later(task):
        return partly(RewrittenBefore(made, on, source), where=place)
    came_in = result.theirs
    others = [short(id_) for id_ in case.commits[made].parents[1:] if id_ != came_in]
    if not others and (together := _came_in_with(case, task)) is not None:
        return partly(CameInWith(made, source, together), where=place)
    if others:
        return partly(AlsoMerged(made, source, few(others), len(others)), where=place)
    moved_on = result.theirs != task.step.theirs and not _later(task)
    # An older commit of the branch was merged first.
    in_parts = result.shape == "merge" and case.commits[made].parents[0] != result.ours
    return met(Merged(made, on, source, moved_on, in_parts))


def _came_in_with(case: Case, task: TaskCase) -> str | None:
    """The branch of another task that the same merge brought in: one had been merged into the other."""
    made, source = task.result.result_commit, task.task.source
    others = (
        one for one in case.tasks if one.step.task != task.step.task and one.result.result_commit == made
    )
    together = (one.task.source for one in others if one.result.shape == "merge")
    # The branch that the other one was merged into was merged as asked: its line leads to its own commits.
    at: str | None = task.result.theirs
    while at is not None and at != task.step.theirs and at in case.evidence.commits:
        at = next(iter(case.commits[at].parents), None)
    return next((other for other in together if other and other != source and at != task.step.theirs), None)


def _unreceived(task: TaskCase, *, squash: bool) -> Outcome | None:
    """What is lost where the result is not on the branch that was to receive it."""
    result, on = task.result, task.task.on
    if result.branch == on:
        return None
    made_elsewhere = MadeElsewhere(result.result_commit or "", result.branch, on, squash)
    return partly(made_elsewhere, where=(Place(commit=result.result_commit),))


def _later(task: TaskCase) -> bool:
    return task.step.task > 1


_WEIGHT = 2


def _weighs_in(scenario: Scenario) -> float:
    """Where the list of a rebase is asked for, it is what is taught: it weighs as much as the conflicts."""
    lists = any(task.todo is not None for task in scenario.task)
    return scenario.points.get(resolution.CRITERION.id, resolution.CRITERION.weight) if lists else _WEIGHT


CRITERION = Criterion(
    id="history",
    weight=_WEIGHT,
    weighs_in=_weighs_in,
    judge=judge,
    of_tasks=True,
    question="Does the history have the shape that the brief asks for?",
    right="The history has the shape that the brief asks for.",
    tells_reason=True,
    commands=("git log --graph --oneline --all",),
)
