"""history of an interactive rebase: each commit as its list wants it, in that order, and no other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.todo import SQUASHING, todo_of
from muddled_orchard.core.git.commits import Commit, contains
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.grading.case import Case, TaskCase
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.history import MergeInstead, NeverBegun
from muddled_orchard.core.grading.kinds.replays import (
    ListCarriedOut,
    NotDropped,
    NotInListedOrder,
    NotReplayed,
    NotReworded,
    OtherAuthor,
    OtherBase,
    ReplayedElsewhere,
    Reworded,
    StillOnItsOwn,
    StoppedAt,
)
from muddled_orchard.core.grading.locating.attempts import brings_only_conflicts
from muddled_orchard.core.grading.locating.results import stopped_at


def judge_todo(case: Case, steps: Sequence[TaskCase]) -> Outcome:
    """The share of what a list changes that was carried out: each word other than pick, and the order, if it
    is another one. Commits that just stay are no work, and cost where they are lost or said otherwise."""
    task, result = steps[0].task, steps[0].result
    asked = case.key.told(task)
    shapes = [step.result.shape for step in steps]
    if "other" in shapes:
        return missed(MergeInstead(asked), (Place(commit=case.evidence.branch(task.on)),))
    if all(shape == "none" for shape in shapes):
        return missed(NeverBegun(asked))
    if (stopped := stopped_at(shapes)) is not None:
        return missed(StoppedAt(stopped, len(steps), asked))
    if not contains(case.commits, result.base_commit or "", steps[0].step.ours):
        place = (Place(commit=result.base_commit),)
        return missed(OtherBase(task.source, task.on, asked), place)
    faults = list(_faults(case, steps))
    if result.matches is not None and result.matches.reordered:
        faults.append((NotInListedOrder(), None))
    if not faults and result.branch != task.on:
        return partly(ReplayedElsewhere(result.branch, task.on))
    if not faults:
        return met(ListCarriedOut(len(todo_of(task)), asked))
    share = max(0.0, 1 - len(faults) / (_changes(case, task) or len(todo_of(task))))
    places = tuple(Place(commit=id_) for _, id_ in faults if id_)
    return partly([fault for fault, _ in faults], share, places)


def _changes(case: Case, task: Task) -> int:
    """How much a list changes of what Git proposes: each word other than pick, and the order.

    A commit that is moved to become a part of another one is moved for that, and where one stands that goes
    does not matter."""
    items = todo_of(task)
    leads = [item for item in items if item.word in ("pick", "reword")]
    places = [case.key.history.labelled(item.label) for item in leads]
    return sum(item.word != "pick" for item in items) + (places != sorted(places))


def _faults(case: Case, steps: Sequence[TaskCase]) -> Iterator[tuple[Kind, str | None]]:
    """What is not as the list has it, each with the commit that it is about."""
    task = steps[0].task
    places = zip(case.key.history.commits, case.key.ids, strict=True)
    originals = {planned.label: id_ for planned, id_ in places if planned.label}
    made = {step.step.commit: step for step in steps}
    own = _own(case, steps)
    lines = todo_of(task)
    used = {step.result.result_commit for step in steps if step.step.into is None}
    for item in lines:
        original = case.commits[originals[item.label]]
        there = [
            commit for commit in own if (commit.author, commit.subject) == (original.author, original.subject)
        ]
        step = made.get(original.id)
        if item.word == "drop":
            yield from ((NotDropped(commit.id, commit.subject), commit.id) for commit in there[:1])
        elif item.word in SQUASHING:
            alone = [commit for commit in there if commit.id not in used]
            if alone:
                yield StillOnItsOwn(alone[0].id, original.subject), alone[0].id
        elif step is None or step.result.result_commit is None:
            if step is None or not _may_be_gone(case, step):
                yield NotReplayed((f'"{original.subject}"',), 1), None
        else:
            commit = case.commits[step.result.result_commit]
            if item.word == "reword" and commit.subject == original.subject:
                yield NotReworded(commit.id, original.subject), commit.id
            elif item.word == "pick" and commit.subject != original.subject:
                yield Reworded(commit.id, commit.subject, original.subject), commit.id
            elif commit.author != original.author:
                yield (
                    OtherAuthor(commit.id, commit.author, original.author, "git rebase --continue"),
                    commit.id,
                )


def _may_be_gone(case: Case, step: TaskCase) -> bool:
    """Whether nothing need be left of a commit: by the key, or where its conflicts were decided against it,
    which `resolution` has the cost of."""
    if step.step.becomes_empty(case.commits):
        return True
    return brings_only_conflicts(step.step.merge, case.commits[step.step.ours].tree, case.texts)


def _own(case: Case, steps: Sequence[TaskCase]) -> list[Commit]:
    """The commits of the branch on what they stand on."""
    commits: list[Commit] = []
    ends = [step.result.judged_commit for step in steps if step.result.judged_commit]
    at: str | None = ends[-1] if ends else case.evidence.branch(steps[0].task.on)
    while at is not None and at != steps[0].result.base_commit and at in case.commits:
        commits.append(case.commits[at])
        at = case.commits[at].parents[0] if case.commits[at].parents else None
    return commits
