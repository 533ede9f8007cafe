"""Lay a submission out for judging: read each result, which lies where `locate` found it."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.grading.carrying import carried_over, paired
from muddled_orchard.core.grading.case import Case, ConflictCase, TaskCase
from muddled_orchard.core.grading.conflict_reading import read_conflict
from muddled_orchard.core.grading.locating.matching import patch
from muddled_orchard.core.grading.locating.replayed import stands_on
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.other_order import judged_by_the_end
from muddled_orchard.core.key.accepted import Decisions, decisions_in, weights_of
from muddled_orchard.core.key.answer_key import Step, hidden_paths, touched_paths
from muddled_orchard.core.merging.conflict import Conflict, MergeResult
from muddled_orchard.core.submission.status import tracked
from muddled_orchard.core.submission.submission import Submission


def lay_out(submission: Submission, results: tuple[Result, ...]) -> Case:
    """Read the results, which lie where `locate` found them."""
    key = submission.key
    case = Case(submission=submission, tasks=(), uncommitted=submission.changes)
    tasks: list[TaskCase] = []
    right_so_far = True
    several = any(step.into for step in key.steps)
    done = {place for place, result in enumerate(results) if result.shape == "replayed"}
    for place, (step, result) in enumerate(zip(key.steps, results, strict=True)):
        made = _task(case, step, result, right_so_far=right_so_far)
        if step.into or several:
            made = _without(made, hidden_paths(key, step, done))
            made = replace(made, hidden=made.hidden | _open_before(key.steps[:place], step))
        parts = _made_one(key.steps, results, result)
        tasks.append(_in_group(case, made, parts, right_so_far=right_so_far))
        if not any(other in parts for other in key.steps[place + 1 :]):
            right_so_far = right_so_far and tasks[-1].tree == step.solved
    return replace(case, tasks=tuple(judged_by_the_end(case, tasks)))


def _open_before(earlier: Sequence[Step], step: Step) -> frozenset[str]:
    """The files of which the parts of a commit before this one may accept several texts: what this part makes
    of them hangs on which was taken."""
    parts = [one for one in earlier if step.into is not None and step.into in (one.commit, one.into)]
    return frozenset(
        path
        for one in parts
        for path, ways in one.accepted.items()
        if len(ways) > 1 or any(len(choices) > 1 for way in ways for choices in way.choices)
    )


def _without(task: TaskCase, hidden: frozenset[str]) -> TaskCase:
    """A task without the conflicts at paths whose content can't be told; they cost nothing."""
    if not hidden or task.tree is None:
        return task
    out = [conflict for conflict in task.conflicts if conflict.conflict.path in hidden]
    spared = sum((conflict.covers for conflict in out if conflict.asked and conflict.accepted), task.spared)
    kept = tuple(conflict for conflict in task.conflicts if conflict not in out)
    return replace(task, conflicts=kept, spared=spared, hidden=hidden)


def _made_one(steps: Sequence[Step], results: Sequence[Result], result: Result) -> list[Step]:
    """The steps that became one commit with that of a result, though nobody asked for it."""
    alike = [
        (step, other)
        for step, other in zip(steps, results, strict=True)
        if other.result_commit == result.result_commit and other.shape in ("replayed", "squashed")
    ]
    return [step for step, _ in alike] if any(one.shape == "squashed" for _, one in alike) else []


def _in_group(case: Case, task: TaskCase, parts: Sequence[Step], *, right_so_far: bool) -> TaskCase:
    """A task whose commit is several that became one, though nobody asked for it. What a later one of them
    changes in a file hides what an earlier one left beside its conflicts, and in those where both change the
    same lines."""
    if task.step not in parts:
        return task
    at = parts.index(task.step)
    later = {path for other in parts[at + 1 :] for path in touched_paths(case.key, other)}
    earlier = parts[:at]
    if at and not right_so_far:  # it is read as the key would have met it, and earlier mistakes are in it
        earlier = [other for other in case.key.steps if other.task == task.step.task]
        earlier = earlier[: earlier.index(task.step)]
    before = {conflict.path for other in earlier for conflict in other.merge.conflicts}
    overlapping = {
        conflict.path
        for conflict in task.step.merge.conflicts
        if any(_meet(case, conflict, other) for other in parts[at + 1 :])
    }
    task = _without(task, frozenset(overlapping))
    return replace(task, hidden=task.hidden | later | before)


def _meet(case: Case, conflict: Conflict, other: Step) -> bool:
    """Whether a step changes lines that a conflict is about."""
    if conflict.path not in touched_paths(case.key, other):
        return False
    if conflict.merged is None:
        return True
    changed = patch(
        case.texts, case.commits[other.base or ""].tree if other.base else {}, case.commits[other.theirs].tree
    )
    lines = {
        line.strip()
        for hunk in conflict.merged.hunks
        for side in (hunk.base, hunk.ours, hunk.theirs)
        for line in side
    }
    return any(path == conflict.path and line and line in lines for path, _, line in changed)


def _task(case: Case, step: Step, result: Result, *, right_so_far: bool) -> TaskCase:
    merge = case.evidence.merges.get((result.ours, result.theirs), step.merge)
    tree: Tree | None = None
    if not result.leaves_commit:
        pass  # nothing comes of it that could be read
    elif result.in_working_tree:
        tree = tracked(case.evidence)
    elif result.judged_commit is not None and result.shape not in ("nothing to do", "none", "dropped"):
        tree = case.commits[result.judged_commit].tree
    if tree is None:
        return TaskCase(step=step, result=result, merge=merge, tree=None, conflicts=())
    if merge is step.merge:
        conflicts = [
            read_conflict(case, step, result, merge, conflict, step.accepted.get(conflict.path, ()), tree)
            for conflict in merge.conflicts
        ]
        return TaskCase(step=step, result=result, merge=merge, tree=tree, conflicts=tuple(conflicts))
    # What they met is not what the key meets. Where no earlier mistake made it so, it was their own doing.
    elsewhere = step.commit is not None and not stands_on(case.commits, result, _first_base(case, step))
    own_doing = right_so_far or elsewhere
    return _deviating(case, step, result, merge, tree, own_doing=own_doing)


def _first_base(case: Case, step: Step) -> str:
    return next(one.ours for one in case.key.steps if one.task == step.task)


def _deviating(
    case: Case, step: Step, result: Result, merge: MergeResult, tree: Tree, *, own_doing: bool
) -> TaskCase:
    """A step at which the learner met something else than the key: the key's conflicts count, as far as they
    are still there; others are told and cost nothing."""
    conflicts: list[ConflictCase] = []
    spared = Decisions()
    for conflict in merge.conflicts:
        asked = step.merge.conflict(conflict.path)
        pairs = paired(asked, conflict)
        known = step.accepted.get(conflict.path, ())
        weights = weights_of(asked, known) if asked else ()
        lacking = [weight for place, weight in enumerate(weights) if place not in pairs]
        if lacking and own_doing:
            continue  # it is read below as it would have been met
        spared += Decisions(len(lacking), sum(lacking)) if known else Decisions()
        ways = carried_over(step, conflict, pairs, case.scenario, case.texts)
        found = read_conflict(case, step, result, merge, conflict, ways, tree)
        extra = frozenset(number for number, pair in enumerate(pairs, start=1) if pair is None)
        counted = [weights[pair] for pair in pairs if pair is not None]
        covers = Decisions(len(counted), sum(counted))
        conflicts.append(replace(found, extra=extra, asked=asked is not None, covers=covers))
    read = {conflict.conflict.path for conflict in conflicts}
    for asked in step.merge.conflicts:
        if asked.path in read:
            continue
        if not own_doing:
            spared += decisions_in(asked, step.accepted.get(asked.path, ()))
        elif contains(case.commits, result.ours, step.ours) or step.commit is not None:
            ways = step.accepted.get(asked.path, ())
            found = read_conflict(case, step, result, step.merge, asked, ways, tree)
            conflicts.append(replace(found, vanished=True))
    conflicts.sort(key=lambda one: one.conflict.path)
    return TaskCase(
        step=step, result=result, merge=merge, tree=tree, conflicts=tuple(conflicts), spared=spared
    )
