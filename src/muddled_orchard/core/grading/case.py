"""One submission laid out for judging: each task with its result, the files it conflicts in and how they
were resolved. Every criterion looks at the same case."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import cut
from muddled_orchard.core.exercise.scenario import Scenario, Task
from muddled_orchard.core.exercise.tasks import source_of
from muddled_orchard.core.git.commits import Commits, contains, short
from muddled_orchard.core.git.lines import Lines, by_lines, is_binary, lines_of
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.trees import Blob, Tree, are_alike
from muddled_orchard.core.grading.assessment import State
from muddled_orchard.core.grading.carrying import carried_over, paired
from muddled_orchard.core.grading.locating.replays import stands_on
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.readings import FileReading, read_file
from muddled_orchard.core.key.accepted import NO_DECISIONS, Accepted, Decisions, decisions_in, weights_of
from muddled_orchard.core.key.answer_key import Key, Step, hidden_paths
from muddled_orchard.core.key.solution import modes_of
from muddled_orchard.core.merging.conflict import Conflict, MergeResult
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.status import Uncommitted, is_backup, tracked
from muddled_orchard.core.submission.submission import Submission

MOST_SHOWN = 4_000
"""How many letters of a text results show."""

_OPEN = ("none", "pending", "by hand", "not reached")


class ConflictCase(Struct, frozen=True, kw_only=True):
    """One conflicted path: `blob` is what lies there in the result (None: nothing), `reading` how its
    hunks were resolved where it has hunks and a text lies there. `renamed` is where its content lies
    now, if the learner gave it a name that nobody else had, `left_at` if it lies where one of the sides had
    it.

    `extra` are the numbers of hunks that the key does not have: the learner's own earlier choices made them.
    `asked`: the key has the conflict at all. `vanished`: the learner's own doing kept it from being met, and
    it is read as it would have been met. `covers` are the key's decisions that it stands for. `modes`
    are the modes that the file may have.
    """

    conflict: Conflict
    accepted: tuple[Accepted, ...]
    blob: Blob | None
    lines: Lines
    reading: FileReading | None
    renamed: str | None = None
    left_at: str | None = None
    extra: frozenset[int] = frozenset()
    asked: bool = True
    vanished: bool = False
    covers: Decisions = NO_DECISIONS
    modes: frozenset[int] = frozenset()


class TaskCase(Struct, frozen=True, kw_only=True):
    """One step of a task (a merge, or one replayed commit): what was asked, where its result lies, and
    what is in it.

    `merge` is the one that the learner really had; `tree` the result that is judged, None where there is
    none; `conflicts` are in the order of their paths. `spared` are the decisions of the key that an earlier
    mistake kept from being met: they cost nothing more. `hidden` are paths whose content can't be told here,
    since commits were made one.
    """

    step: Step
    result: Result
    merge: MergeResult
    tree: Tree | None
    conflicts: tuple[ConflictCase, ...]
    spared: Decisions = NO_DECISIONS
    hidden: frozenset[str] = frozenset()

    @property
    def unmet(self) -> Decisions:
        """The key's decisions that were never come to."""
        read = (conflict.covers for conflict in self.conflicts if conflict.asked and conflict.accepted)
        return self.step.decisions - self.spared - sum(read, Decisions())

    @property
    def task(self) -> Task:
        """The operation that it is a step of."""
        return self.step.operation

    @property
    def ours_name(self) -> str:
        """`ours (main)`."""
        return self.step.ours_name

    @property
    def theirs_name(self) -> str:
        """`theirs (night-shift)`."""
        return self.step.theirs_name


class Case(Struct, frozen=True, kw_only=True):
    """Everything about one submission that criteria look at. `final_tree` is where it all ended."""

    submission: Submission
    tasks: tuple[TaskCase, ...]
    uncommitted: tuple[Uncommitted, ...]

    @property
    def key(self) -> Key:
        """What is accepted."""
        return self.submission.key

    @property
    def evidence(self) -> Evidence:
        """What was found."""
        return self.submission.evidence

    @property
    def commits(self) -> Commits:
        """Every commit by id: the story's, the solution's by the key, the learner's own."""
        return self.submission.commits

    @property
    def texts(self) -> Mapping[str, bytes]:
        """All contents by blob id."""
        return self.submission.texts

    @property
    def scenario(self) -> Scenario:
        """The scenario with this variant's values."""
        return self.key.scenario

    @property
    def final_tree(self) -> Tree | None:
        """What the last task that has a result left."""
        return next((task.tree for task in reversed(self.tasks) if task.tree is not None), None)

    @property
    def state(self) -> State:
        """How far it got."""
        shapes = [task.result.shape for task in self.tasks]
        if self.nothing_found:
            return "open" if self.something_happened else "untouched"
        if self._only_as_handed_out():
            return "untouched"
        if self.evidence.pending or any(shape in _OPEN for shape in shapes):
            return "open"
        return "open" if self.evidence.unmerged else "finished"

    @property
    def nothing_found(self) -> bool:
        """Whether there is no result of any task."""
        shapes = {task.result.shape for task in self.tasks}
        return "none" in shapes and shapes <= {"none", "nothing to do"}

    @property
    def something_happened(self) -> bool:
        """Whether something is not as it was handed out: a branch here or at the remote, or an operation that
        is under way."""
        heads = {ref: tip for ref, tip in self.key.refs.items() if ref.startswith(BRANCHES)}
        moved = any(self.evidence.refs.get(ref) != tip for ref, tip in heads.items())
        return moved or bool(self.remote_changes) or self.evidence.pending is not None

    @property
    def remote_changes(self) -> dict[str, str | None]:
        """The handed-out branches of the remote that stand elsewhere now, and where; None for those that are
        gone."""
        there = self.evidence.remote
        if there is None:
            return {}
        handed_out = {branch: self.key.ids[place] for branch, place in self.key.history.remote.items()}
        return {branch: there.get(branch) for branch, tip in handed_out.items() if there.get(branch) != tip}

    def _only_as_handed_out(self) -> bool:
        """Whether it was handed out at a conflict, and stands there still."""
        if not self.scenario.start.stopped:
            return False
        here = [task for task in self.tasks if task.result.shape == "pending"]
        first = next((task for task in self.tasks if task.step.merge.conflicts), None)
        return bool(here) and here[0] is first and all(map(self._is_untouched, here[0].conflicts))

    def _is_untouched(self, conflict: ConflictCase) -> bool:
        if conflict.conflict.path not in self.evidence.unmerged:
            return False
        if conflict.reading is None:
            return conflict.blob is None or conflict.blob in conflict.conflict.stages.values()
        return all(hunk.kept == "unresolved" for hunk in conflict.reading.hunks)

    def lines(self, blob: Blob | None) -> Lines:
        """The lines of a file; none where it is missing or binary."""
        data = self.texts.get(blob.id, b"") if blob else b""
        return lines_of(data) if by_lines(data) else ()

    def text(self, blob: Blob | None) -> str | None:
        """The text of a file, None where there is no file."""
        if blob is None:
            return None
        data = self.texts.get(blob.id, b"")
        if is_binary(data):
            return "(binary)"
        return cut(data[: 4 * MOST_SHOWN].decode("utf-8", "replace"), MOST_SHOWN)


def lay_out(submission: Submission, results: tuple[Result, ...]) -> Case:
    """Read the results, which lie where `locate` found them."""
    key = submission.key
    case = Case(submission=submission, tasks=(), uncommitted=submission.changes)
    tasks: list[TaskCase] = []
    right_so_far = True
    several = any(step.into for step in key.steps)
    done = {place for place, result in enumerate(results) if result.shape == "replayed"}
    for step, result in zip(key.steps, results, strict=True):
        made = _task(case, step, result, right_so_far=right_so_far)
        tasks.append(_without(made, hidden_paths(key, step, done) if step.into or several else frozenset()))
        right_so_far = right_so_far and tasks[-1].tree == step.solved
    return replace(case, tasks=tuple(tasks))


def _without(task: TaskCase, hidden: frozenset[str]) -> TaskCase:
    """A task without the conflicts at paths whose content can't be told; they cost nothing."""
    if not hidden or task.tree is None:
        return task
    out = [conflict for conflict in task.conflicts if conflict.conflict.path in hidden]
    spared = sum((conflict.covers for conflict in out if conflict.asked and conflict.accepted), task.spared)
    kept = tuple(conflict for conflict in task.conflicts if conflict not in out)
    return replace(task, conflicts=kept, spared=spared, hidden=hidden)


def _task(case: Case, step: Step, result: Result, *, right_so_far: bool) -> TaskCase:
    merge = case.evidence.merges.get((result.ours, result.theirs), step.merge)
    tree: Tree | None = None
    if step.makes_no_commit:
        pass  # nothing comes of it that could be read
    elif result.in_working_tree:
        tree = tracked(case.evidence)
    elif result.judged_commit is not None and result.shape not in ("nothing to do", "none", "dropped"):
        tree = case.commits[result.judged_commit].tree
    if tree is None:
        return TaskCase(step=step, result=result, merge=merge, tree=None, conflicts=())
    if merge is step.merge:
        conflicts = [
            _read(case, step, result, merge, conflict, step.accepted.get(conflict.path, ()), tree)
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
        found = _read(case, step, result, merge, conflict, ways, tree)
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
            found = _read(case, step, result, step.merge, asked, ways, tree)
            conflicts.append(replace(found, vanished=True))
    conflicts.sort(key=lambda one: one.conflict.path)
    return TaskCase(
        step=step, result=result, merge=merge, tree=tree, conflicts=tuple(conflicts), spared=spared
    )


def _read(
    case: Case,
    step: Step,
    result: Result,
    merge: MergeResult,
    conflict: Conflict,
    accepted: tuple[Accepted, ...],
    tree: Tree,
) -> ConflictCase:
    blob = tree.get(conflict.path)
    renamed = left_at = None
    if blob is None and not all(way.gone for way in accepted):
        left_at = _left_at(case, result, merge, conflict, tree)
        renamed = None if left_at else _renamed(case, merge, conflict, tree)
        blob = tree.get(renamed or "")
    lines = case.lines(blob)
    reading = None
    if conflict.merged is not None and blob is not None and _is_of_its_kind(blob, conflict):
        reading = read_file(conflict.merged, lines, accepted, case.scenario.spacing, labels(step, result))
    return ConflictCase(
        conflict=conflict,
        accepted=accepted,
        blob=blob,
        lines=lines,
        reading=reading,
        renamed=renamed,
        left_at=left_at,
        covers=decisions_in(conflict, accepted),
        modes=modes_of(conflict, step.solved, merge.tree),
    )


def _is_of_its_kind(blob: Blob, conflict: Conflict) -> bool:
    """Whether it is a plain file where the sides have one, and not a link to one."""
    return any(are_alike(blob.mode, side.mode) for side in conflict.stages.values())


def _left_at(case: Case, result: Result, merge: MergeResult, conflict: Conflict, tree: Tree) -> str | None:
    """Where a conflicted file lies, if that is a name that one of the sides had: that is this side's
    choice."""
    sides = [case.commits[id_].tree for id_ in (result.ours, result.theirs) if id_ in case.commits]
    ids = {blob.id for blob in conflict.stages.values()}
    for path, blob in tree.items():
        elsewhere = path != conflict.path and path not in merge.tree and merge.conflict(path) is None
        had = elsewhere and any(path in side for side in sides)
        if had and (blob.id in ids or _most_alike(case, blob, conflict)):
            return path
    return None


def _renamed(case: Case, merge: MergeResult, conflict: Conflict, tree: Tree) -> str | None:
    """A new name under which a conflicted file's content lies now: the same, or most of its lines."""
    known = {*merge.tree, *(other.path for other in merge.conflicts)}
    new = [path for path in tree if path not in known and not is_backup(path)]
    ids = {blob.id for blob in conflict.stages.values()}
    for path in new:
        if tree[path].id in ids or _most_alike(case, tree[path], conflict):
            return path
    return None


def _most_alike(case: Case, blob: Blob, conflict: Conflict) -> bool:
    """Whether a file has most of its lines in common with a side."""
    lines = set(case.lines(blob))
    sides = [set(case.lines(side)) for side in conflict.stages.values()]
    return any(side and 2 * len(side & lines) > max(len(side), len(lines)) for side in sides)


def labels(step: Step, result: Result) -> frozenset[str]:
    """The names that Git may have written behind the markers of a task's conflict."""
    names = {
        "HEAD",
        step.operation.on,
        source_of(step.operation) or "",
        "Updated upstream",
        "Stashed changes",
    }
    for id_ in (result.ours, result.theirs, step.commit):
        if id_ is not None:
            names |= {id_, short(id_)}
    return frozenset(names - {""})
