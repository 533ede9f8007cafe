"""One submission laid out for judging: each task with its result, the files it conflicts in and how they
were resolved. Every criterion looks at the same case."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import cut
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commits
from muddled_orchard.core.git.lines import Lines, by_lines, is_binary, lines_of
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.trees import Blob, Tree
from muddled_orchard.core.grading.assessment import State
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.readings import FileReading
from muddled_orchard.core.key.accepted import NO_DECISIONS, Accepted, Decisions
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import Conflict, MergeResult
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.status import Uncommitted
from muddled_orchard.core.submission.submission import Submission

MOST_SHOWN = 4_000
"""How many letters of a text results show."""

_NOTHING = {"none", "dropped"}
OPEN = ("none", "pending", "by hand", "not reached")
"""The shapes of results that are not there yet."""


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
    since commits were made one; `by_the_end` those that are judged by what they read in the end, since merges
    were made in another order.
    """

    step: Step
    result: Result
    merge: MergeResult
    tree: Tree | None
    conflicts: tuple[ConflictCase, ...]
    spared: Decisions = NO_DECISIONS
    hidden: frozenset[str] = frozenset()
    by_the_end: frozenset[str] = frozenset()

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
    """Everything about one submission that criteria look at. `role`: criteria of tasks look at those of one
    role alone (None: at all). `final_tree` is where it all ended."""

    submission: Submission
    tasks: tuple[TaskCase, ...]
    uncommitted: tuple[Uncommitted, ...]
    role: int | None = None

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
    def judged(self) -> tuple[TaskCase, ...]:
        """The tasks that criteria of tasks look at."""
        return tuple(task for task in self.tasks if self.judges(task.task))

    def judges(self, task: Task) -> bool:
        """Whether a task is one of those."""
        return self.role is None or task.role == self.role

    @property
    def is_own(self) -> bool:
        """Whether the learner makes the conflicts."""
        return self.key.makes_own

    @property
    def with_all_commits(self) -> Evidence:
        """What was found, with the handed-out commits among the others."""
        return replace(self.evidence, commits=dict(self.commits))

    @property
    def final_tree(self) -> Tree | None:
        """What the last task that has a result left."""
        return next((task.tree for task in reversed(self.tasks) if task.tree is not None), None)

    @property
    def state(self) -> State:
        """How far it got."""
        shapes = [task.result.shape for task in self.tasks]
        if self.is_own and not shapes:
            return "open" if self.evidence.commits or self.evidence.pending else "untouched"
        if self.nothing_found or self.nothing_seen:
            return "open" if self.something_happened else "untouched"
        if self._only_as_handed_out():
            return "untouched"
        if self.evidence.pending or any(shape in OPEN for shape in shapes):
            return "open"
        return "open" if self.evidence.unmerged else "finished"

    @property
    def nothing_found(self) -> bool:
        """Whether there is no result of any task."""
        if self.is_own:
            return not self.tasks
        shapes = {task.result.shape for task in self.tasks}
        return bool(shapes & _NOTHING) and shapes <= {*_NOTHING, "nothing to do"}

    @property
    def nothing_seen(self) -> bool:
        """Whether what this was handed in as can't show a result of any task."""
        shapes = {task.result.shape for task in self.tasks}
        return "not seen" in shapes and shapes <= {"not seen", *_NOTHING, "nothing to do"}

    @property
    def something_happened(self) -> bool:
        """Whether something is not as it was handed out: a branch here or at the remote, or an operation that
        is under way."""
        heads = {ref: tip for ref, tip in self.key.refs.items() if ref.startswith(BRANCHES)}
        moved = any(self.evidence.refs.get(ref) != tip for ref, tip in heads.items())
        dropped = self.evidence.stashes < len(self.key.history.stashes)
        return moved or dropped or bool(self.remote_changes) or self.evidence.pending is not None

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
