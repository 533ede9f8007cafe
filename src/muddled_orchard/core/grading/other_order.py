"""Merges that were made in another order than was asked: they are judged by what they come to.

Who merges the second branch first meets other conflicts than the key: what one of them is to read, the key
says of sides that nobody had then. So a file that reads in the end as after the key's solution is right all
along; of any other the last decision of the key is read in the end, and a person should look.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.git.lines import alike
from muddled_orchard.core.git.trees import Blob, Tree
from muddled_orchard.core.grading.case import Case, ConflictCase, TaskCase
from muddled_orchard.core.grading.conflict_reading import read_conflict
from muddled_orchard.core.key.accepted import Decisions, decisions_in

_MADE = ("merge", "reversed", "squash")


def judged_by_the_end(case: Case, tasks: Sequence[TaskCase]) -> list[TaskCase]:
    """The same tasks, where merges were made in another order with their conflicts judged by the end."""
    involved = _out_of_order(case, tasks)
    if not involved:
        return list(tasks)
    own = [tasks[place] for place in involved]
    last = own[-1]
    for task in own:
        if contains(case.commits, task.result.result_commit, last.result.result_commit or ""):
            last = task
    end: Tree = last.tree or {}
    solved = own[-1].step.solved
    cases = list(tasks)
    for path in sorted({conflict.path for task in own for conflict in task.step.merge.conflicts}):
        asked = [place for place in involved if tasks[place].step.merge.conflict(path) is not None]
        if all(_was_met(tasks[place], path) for place in asked):
            continue  # it has nothing to do with the order
        as_solved = _reads_alike(case, end.get(path), solved.get(path))
        for place in asked:
            if as_solved:
                cases[place] = _with(case, cases[place], path, cases[place].step.solved)
            elif place == asked[-1]:
                cases[place] = _with(case, cases[place], path, end)
                cases[place] = replace(cases[place], by_the_end=cases[place].by_the_end | {path})
            else:
                cases[place] = _spared(cases[place], path)
    return cases


def _out_of_order(case: Case, tasks: Sequence[TaskCase]) -> list[int]:
    """The places of the merges of which one was made before another that was asked for earlier."""
    merges = [
        (place, task)
        for place, task in enumerate(tasks)
        if task.step.commit is None and task.tree is not None and task.result.shape in _MADE
    ]
    found: set[int] = set()
    for place, early in merges:
        for other, late in merges:
            first, second = early.result.result_commit, late.result.result_commit
            turned = place < other and first != second and contains(case.commits, first, second or "")
            if turned and early.task.on == late.task.on:
                found |= {place, other}
    return sorted(found)


def _was_met(task: TaskCase, path: str) -> bool:
    """Whether the learner met the key's conflict at a path as the key has it: each hunk between the same
    sides, or the same files."""
    asked, met = task.step.merge.conflict(path), task.merge.conflict(path)
    if asked is None or met is None or asked.merged is None or met.merged is None:
        return asked is not None and met is not None and asked.stages == met.stages
    return set(asked.merged.hunks) <= set(met.merged.hunks)


def _reads_alike(case: Case, blob: Blob | None, other: Blob | None) -> bool:
    if blob is None or other is None or blob.id == other.id:
        return blob == other
    form = alike(case.scenario.spacing)
    return blob.mode == other.mode and form(case.lines(blob)) == form(case.lines(other))


def _with(case: Case, task: TaskCase, path: str, tree: Tree) -> TaskCase:
    """A task with its key's conflict at a path read in a tree, whatever was met there."""
    asked = task.step.merge.conflict(path)
    if asked is None:
        return task
    ways = task.step.accepted.get(path, ())
    conflict = read_conflict(case, task.step, task.result, task.step.merge, asked, ways, tree)
    return replace(task, conflicts=_in_place(task, path, (conflict,)))


def _spared(task: TaskCase, path: str) -> TaskCase:
    """A task without its key's conflict at a path, which costs nothing."""
    asked = task.step.merge.conflict(path)
    before = [case for case in task.conflicts if case.conflict.path == path and case.asked and case.accepted]
    if asked is None:
        return task
    own = decisions_in(asked, task.step.accepted.get(path, ()))
    counted = task.spared + own if before else task.spared + own - _spared_already(task, path)
    return replace(task, conflicts=_in_place(task, path, ()), spared=counted, hidden=task.hidden | {path})


def _spared_already(task: TaskCase, path: str) -> Decisions:
    """What an earlier mistake has spared of a path: all of it, where the conflict is not read."""
    read = {case.conflict.path for case in task.conflicts}
    asked = task.step.merge.conflict(path)
    unread = asked is not None and path not in read and task.unmet.count == 0
    return decisions_in(asked, task.step.accepted.get(path, ())) if asked and unread else Decisions()


def _in_place(task: TaskCase, path: str, now: Sequence[ConflictCase]) -> tuple[ConflictCase, ...]:
    others = [case for case in task.conflicts if case.conflict.path != path]
    return tuple(sorted((*others, *now), key=lambda case: case.conflict.path))
