"""One submission laid out for judging: each task with its result, the files it conflicts in and how they
were resolved. Every criterion looks at the same case, so nothing is computed twice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from muddled_orchard.core.assessment import State
from muddled_orchard.core.evidence import Evidence
from muddled_orchard.core.key import Accepted, Key, Step, accepted_for
from muddled_orchard.core.meeting import Blob, Conflict, Meeting
from muddled_orchard.core.readings import FileReading, read_file
from muddled_orchard.core.repository import Commit, Tree
from muddled_orchard.core.results import Result
from muddled_orchard.core.scenario import Answer, Scenario, Task
from muddled_orchard.core.tasks import source_of
from muddled_orchard.core.texts import Lines, is_binary, lines_of
from muddled_orchard.core.worktree import Uncommitted, is_backup, tracked, uncommitted

_OPEN = ("none", "pending", "by hand", "not reached")


@dataclass(frozen=True, slots=True, kw_only=True)
class ConflictCase:
    """One conflicted path: `blob` is what lies there in the result (None: nothing), `reading` how its
    hunks were resolved where it has hunks and a text lies there. `renamed` is where its content lies
    now, if the learner gave it a name that nobody else had."""

    conflict: Conflict
    accepted: tuple[Accepted, ...]
    blob: Blob | None
    lines: Lines
    reading: FileReading | None
    renamed: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class TaskCase:
    """One step of a task (a merge, or one replayed commit): what was asked, where its result lies, and
    what is in it.

    `meeting` is the one that the learner really had; `tree` the result that is judged, None where
    there is none; `conflicts` are in the order of their paths.
    """

    step: Step
    result: Result
    meeting: Meeting
    tree: Tree | None
    conflicts: tuple[ConflictCase, ...]

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


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """Everything about one submission that criteria look at. `final_tree` is where it all ended."""

    key: Key
    evidence: Evidence
    commits: Mapping[str, Commit]
    texts: Mapping[str, bytes]
    tasks: tuple[TaskCase, ...]
    uncommitted: tuple[Uncommitted, ...]

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
            return "open" if self._branches_moved() else "untouched"
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

    def _branches_moved(self) -> bool:
        """Whether a handed-out branch is not where it was."""
        heads = {ref: tip for ref, tip in self.key.refs.items() if ref.startswith("refs/heads/")}
        return any(self.evidence.refs.get(ref) != tip for ref, tip in heads.items())

    def _only_as_handed_out(self) -> bool:
        """Whether it was handed out at a conflict, and stands there still."""
        if not self.scenario.start.stopped:
            return False
        here = [task for task in self.tasks if task.result.shape == "pending"]
        conflicts = [conflict for task in here for conflict in task.conflicts]
        return bool(conflicts) and all(
            conflict.conflict.path in self.evidence.unmerged
            and conflict.reading is not None
            and all(hunk.kept == "unresolved" for hunk in conflict.reading.hunks)
            for conflict in conflicts
        )

    def lines(self, blob: Blob | None) -> Lines:
        """The lines of a file; none where it is missing or binary."""
        data = self.texts.get(blob.id, b"") if blob else b""
        return () if is_binary(data) else lines_of(data)

    def text(self, blob: Blob | None) -> str | None:
        """The text of a file, None where there is no file."""
        if blob is None:
            return None
        data = self.texts.get(blob.id, b"")
        return "(binary)" if is_binary(data) else data.decode("utf-8", "replace")


def lay_out(evidence: Evidence, key: Key, located: tuple[Result, ...]) -> Case:
    """Read the results, which lie where `core.locate` found them."""
    commits = {**key.commits, **evidence.commits}
    texts = {**key.texts, **evidence.texts}
    head = commits.get(evidence.head_commit or "")
    case = Case(
        key=key,
        evidence=evidence,
        commits=commits,
        texts=texts,
        tasks=(),
        uncommitted=tuple(uncommitted(evidence, head.tree if head else {}, key.texts)),
    )
    tasks = tuple(_task(case, step, result) for step, result in zip(key.steps, located, strict=True))
    return replace(case, tasks=tasks)


def _task(case: Case, step: Step, result: Result) -> TaskCase:
    meeting = case.evidence.meetings.get((result.ours, result.theirs), step.meeting)
    tree: Tree | None = None
    if result.in_working_tree:
        tree = tracked(case.evidence)
    elif result.final is not None and result.shape not in ("nothing to do", "none"):
        tree = case.commits[result.final].tree
    conflicts: tuple[ConflictCase, ...] = ()
    if tree is not None:
        conflicts = tuple(
            _conflict(case, step, result, meeting, conflict, tree) for conflict in meeting.conflicts
        )
    return TaskCase(step=step, result=result, meeting=meeting, tree=tree, conflicts=conflicts)


def _conflict(
    case: Case, step: Step, result: Result, meeting: Meeting, conflict: Conflict, tree: Tree
) -> ConflictCase:
    accepted = step.accepted.get(conflict.path, ())
    if meeting is not step.meeting:
        # Their own earlier result changed what meets here. The key's words may not fit its hunks any more,
        # and who repairs an earlier mistake here leaves the key's whole file: that is right in any case.
        accepted, problems = accepted_for(conflict, case.scenario, step.task, step.label)
        accepted = (*(() if problems else accepted), *_as_solved(case, step, conflict))
    blob = tree.get(conflict.path)
    renamed = None
    if blob is None and not all(one.gone for one in accepted):
        renamed = _renamed(case, meeting, conflict, tree)
        blob = tree.get(renamed or "")
    lines = case.lines(blob)
    reading = None
    if conflict.merged is not None and blob is not None:
        reading = read_file(conflict.merged, lines, accepted, case.scenario.spacing, labels(step, result))
    return ConflictCase(
        conflict=conflict, accepted=accepted, blob=blob, lines=lines, reading=reading, renamed=renamed
    )


def _renamed(case: Case, meeting: Meeting, conflict: Conflict, tree: Tree) -> str | None:
    """A new name under which a conflicted file's content lies now: the same, or most of its lines."""
    known = {*meeting.tree, *(other.path for other in meeting.conflicts)}
    new = [path for path in tree if path not in known and not is_backup(path)]
    sides = [set(case.lines(blob)) for blob in conflict.stages.values()]
    ids = {blob.id for blob in conflict.stages.values()}
    for path in new:
        lines = set(case.lines(tree[path]))
        alike = any(side and 2 * len(side & lines) > max(len(side), len(lines)) for side in sides)
        if tree[path].id in ids or alike:
            return path
    return None


def _as_solved(case: Case, step: Step, conflict: Conflict) -> tuple[Accepted, ...]:
    from_key = step.solved.get(conflict.path)
    if from_key is None:
        return (Accepted(gone=True, words=("gone",)),)
    text = case.texts[from_key.id].decode("utf-8", "surrogateescape")
    return accepted_by_text(conflict, text, case.scenario)


def accepted_by_text(conflict: Conflict, text: str, scenario: Scenario) -> tuple[Accepted, ...]:
    """A whole file as the only accepted resolution of a conflict."""
    asked = replace(scenario, answer=(Answer(file=conflict.path, text=text),))
    return accepted_for(conflict, asked, 1)[0]


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
            names |= {id_, id_[:7]}
    return frozenset(names - {""})


def short(id_: str | None) -> str:
    """A commit's id as people write it."""
    return (id_ or "")[:7]
