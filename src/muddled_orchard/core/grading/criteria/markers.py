"""markers: no conflict marker, whole or partial, in what was committed or in the working tree."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.commits import ancestry
from muddled_orchard.core.git.lines import Lines
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.grading.case import Case, TaskCase
from muddled_orchard.core.grading.conflict_reading import labels
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.kinds.markers import MarkersLeft, MarkersMended, NoMarkers
from muddled_orchard.core.grading.readings import read_file
from muddled_orchard.core.merging.markers import Marker, has_signs, looks_like, markers_outside

Found = tuple[str, Marker]


def judge(case: Case) -> Outcome:
    """Look at the results, then at the working tree, then at the commits on the way."""
    now = list(_left(case))
    certain = [(path, marker) for path, marker in now if marker.sure != "possible"]
    if certain:
        path, marker = certain[0]
        where = tuple(Place(path, marker.line, _commit(case)) for path, marker in certain)
        return missed(
            MarkersLeft(path, marker.line, marker.sign, marker.text.strip()[:40], len(certain)), where
        )
    on_the_way = _on_the_way(case)
    if on_the_way:
        path, line, id_ = on_the_way
        return partly(MarkersMended(path, id_), where=(Place(path, line, id_),))
    return met(NoMarkers())


def possible(case: Case) -> list[Found]:
    """What may be a leftover, but can't be told for sure."""
    return [(path, marker) for path, marker in _left(case) if marker.sure == "possible"]


def _commit(case: Case) -> str | None:
    return next((task.result.judged_commit for task in reversed(case.tasks) if task.tree is not None), None)


def _left(case: Case) -> Iterator[Found]:
    seen = set()
    for task in reversed(case.tasks):
        if task.tree is None:
            continue
        for path, marker in _in_tree(case, task, task.tree):
            if path not in seen:
                yield path, marker
        seen |= set(task.tree)
    # A working tree that was changed after the last commit may hold markers of its own.
    if case.evidence.working is not None and not any(task.result.in_working_tree for task in case.tasks):
        changed = {change.path for change in case.uncommitted if change.how != "untracked"}
        tree = {path: blob for path, blob in case.evidence.working.items() if path in changed}
        for task in case.tasks:
            yield from _in_tree(case, task, tree)


def _in_tree(case: Case, task: TaskCase, tree: Tree) -> Iterator[Found]:
    hunked = {conflict.conflict.path: conflict for conflict in task.conflicts}
    names = labels(task.step, task.result)
    # What met here may hold markers that the learner left in an earlier step: only the key's own texts
    # explain lines that look like one.
    own = task.merge is not task.step.merge
    for path, blob in tree.items():
        if own and blob.id not in case.key.texts:
            expected = _texts_of_key(case, task, path)
            yield from ((path, marker) for marker in markers_outside(case.lines(blob), expected, names))
            continue
        known = hunked.get(path)
        if known is not None and known.conflict.merged is not None:
            reading = known.reading
            if reading is None or known.blob is None or known.blob.id != blob.id:
                lines, spacing = case.lines(blob), case.scenario.spacing
                if not any(map(looks_like(names), lines)):
                    continue
                reading = read_file(known.conflict.merged, lines, known.accepted, spacing, names)
            yield from ((path, marker) for marker in reading.markers)
        elif blob.id not in case.key.texts:
            expected = case.lines(task.merge.tree.get(path))
            yield from ((path, marker) for marker in markers_outside(case.lines(blob), expected, names))


def _texts_of_key(case: Case, task: TaskCase, path: str) -> Lines:
    """Every line that a file has on any side of the asked merge, or when it is solved."""
    conflict = task.step.merge.conflict(path)
    blobs = list(conflict.stages.values()) if conflict else [task.step.merge.tree.get(path)]
    return tuple(line for blob in (*blobs, task.step.solved.get(path)) for line in case.lines(blob))


def _on_the_way(case: Case) -> tuple[str, int, str] | None:
    """Markers in a commit between the hand-out and the result."""
    signs: dict[str, bool] = {}  # by blob: in a rebase each task has most commits of the others
    trees: dict[str, Tree] = {}

    def with_signs(tree: Tree) -> Tree:
        for blob in tree.values():
            if blob.id not in signs:
                signs[blob.id] = has_signs(case.lines(blob))
        return {path: blob for path, blob in tree.items() if signs[blob.id]}

    for task in case.tasks:
        for id_ in _own_commits(case, task):
            if id_ not in trees:
                trees[id_] = with_signs(case.commits[id_].tree)
            for path, marker in _in_tree(case, task, trees[id_]):
                if marker.sure != "possible":
                    return path, marker.line, id_
    return None


def _own_commits(case: Case, task: TaskCase) -> Iterator[str]:
    """The learner's commits from the task's result up to where it ended."""
    if task.result.judged_commit is None:
        return
    for commit in ancestry(case.commits, task.result.judged_commit):
        if commit.id in case.evidence.commits and commit.id != task.result.judged_commit:
            yield commit.id


CRITERION = Criterion(
    id="markers",
    weight=2,
    judge=judge,
    question="Are all conflict markers gone?",
    right="No conflict markers are left.",
    kind="Git writes such lines to show both sides; they are to be taken out when it is decided.",
    commands=("git grep -n -E '^(<<<<<<<|=======|>>>>>>>)'",),
)
