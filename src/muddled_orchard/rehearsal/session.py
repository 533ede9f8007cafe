"""Carry an exercise out as a learner would, with real Git, from its first task to its last.

A `LearnerSession` walks through the tasks as Git itself leads: whatever conflicts is met by a function that
the actor brings along, so that one actor errs where another one doesn't.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path

from msgspec import Struct, field

from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import example_message, place_of
from muddled_orchard.core.git.commits import Commit, short
from muddled_orchard.core.git.lines import Lines, alike, lines_of
from muddled_orchard.core.git.trees import LINK, Blob, Tree
from muddled_orchard.core.grading.rehearsal import Kept
from muddled_orchard.core.key.accepted import Accepted, worth_of
from muddled_orchard.core.key.answer_key import Key, Step, hidden_paths, touched_paths
from muddled_orchard.core.key.own_course import Action, Edit, Typed, own_course
from muddled_orchard.core.merging.conflict import (
    MARKER_ATTRIBUTES,
    STAGE,
    Conflict,
    Hunk,
    MergedText,
    merged_text,
)
from muddled_orchard.core.merging.keep import KEEP, lines_kept
from muddled_orchard.rehearsal.moments import Moments
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.carrying_out import TaskRunner
from muddled_orchard.vcs.practice_tree import PracticeTree

Resolve = Callable[["LearnerSession", Step], None]
"""Resolves one conflict that Git has stopped at, in the working tree; the session goes on from there."""


class StopsWorking(Exception):
    """The learner leaves the session: nothing more is done."""


class Log(Struct):
    """What an actor did with conflicts: what was kept in each, and how many files are not as the key accepts.

    `deviated`: what Git shows is no longer what the key knows. `outside`: the key also wants something
    changed outside a hunk, and that was left undone; `perhaps_outside`: some alternative does. `emptied`: of
    a replayed commit nothing was left. `typed` counts the commands, a minute each. `answer` is what Git said
    to the last one that a task asks for.
    """

    kept: list[Kept] = field(default_factory=list)
    wrong: int = 0
    deviated: bool = False
    outside: bool = False
    perhaps_outside: bool = False
    typed: int = 0
    emptied: bool = False
    answer: str = ""


class LearnerSession(Struct, frozen=True, dict=True):
    """Where a learner sits: the repository, the key (which learners don't know, but their actor does),
    and who they are."""

    work: Path
    key: Key
    name: str
    log: Log = field(default_factory=Log)
    moments: Moments | None = None
    """What teammates push meanwhile, where anything arrives."""
    says: Callable[[Task, Commit | None], str | None] = example_message
    """The message that they write for a task (and the commit that is replayed); None: what is there."""

    # -- Git ------------------------------------------------------------------------------------------

    def git(self, *arguments: str, may_fail: bool = False, variables: Mapping[str, str] | None = None) -> str:
        """Run Git as this learner, an hour after the story ended."""
        self._typing(arguments)
        more = {**self._who, **(variables or {})}
        output = git.run(arguments, folder=self.work, more=more, may_fail=may_fail)
        return output.decode("utf-8", "surrogateescape")

    def answered(self, *arguments: str, variables: Mapping[str, str]) -> str:
        """The same, which may fail: what Git answers on both channels."""
        self._typing(arguments)
        return git.answer(arguments, folder=self.work, more={**self._who, **variables})

    def try_git(self, *arguments: str, variables: Mapping[str, str] | None = None) -> str:
        """Run Git where a conflict is no surprise."""
        return self.git(*arguments, may_fail=True, variables=variables)

    def _typing(self, words: Sequence[str]) -> None:
        self.log.typed += 1
        if self.moments is not None:
            self.moments.before(words)

    @property
    def _who(self) -> dict[str, str]:
        scenario = self.key.scenario
        time = int(scenario.starts.timestamp()) + (len(self.key.handed_out) * scenario.minutes + 60) * 60
        who = {"NAME": self.name.title(), "EMAIL": f"{self.name}@orchard.example"}
        more = {
            f"GIT_{role}_{what}": value for role in ("AUTHOR", "COMMITTER") for what, value in who.items()
        }
        # No author's date: a replayed commit keeps its own.
        return {**more, "GIT_COMMITTER_DATE": f"{time + 60 * self.log.typed} +0000"}

    @property
    def gitdir(self) -> Path:
        """The repository's own folder."""
        return self.work / ".git"

    @cached_property
    def tree(self) -> PracticeTree:
        """How the repository stands."""
        return PracticeTree(self.work)

    @cached_property
    def runner(self) -> TaskRunner:
        """Carries tasks out with this learner's hands."""
        return TaskRunner(_Hands(self), self.key, self.says)

    @property
    def labels(self) -> dict[str, str]:
        """The ids of labelled commits."""
        return self.runner.labels

    @property
    def scenario(self) -> Scenario:
        """The scenario with this variant's values."""
        return self.key.scenario

    @property
    def pending(self) -> bool:
        """Whether an operation is under way."""
        return self.tree.pending()

    def unmerged(self) -> dict[str, dict[int, str]]:
        """The blob ids of unmerged paths by stage."""
        return self.tree.unmerged()

    # -- The way through ------------------------------------------------------------------------------

    def carry_out(
        self,
        resolve: Resolve | None = None,
        *,
        instead: Callable[[LearnerSession, Task], None] | None = None,
        at: int | None = None,
        mend: bool = True,
        deliver: bool = True,
    ) -> None:
        """Do every task in order, resolving conflicts with `resolve` (by the key, if there is none).

        `instead` carries a task out in another way: the one with this number, or the hardest task. Raising
        `StopsWorking` in either ends it there.
        """
        try:
            for number, task in enumerate(self.scenario.task, start=1):
                if instead is not None and number == (at or hardest_task_number(self.key)):
                    instead(self, task)
                elif isinstance(task, OwnConflict):
                    course = own_course(self.key, task)
                    self.act((*course.sides, *course.together, *course.resolved, *course.end))
                else:
                    if not self.is_begun(number):
                        self.begin(task)
                    if task.abort:
                        self.give_up(task)
                    else:
                        self.go_through(number, resolve)
                if mend:
                    self._mend(number)
                if deliver:
                    self.deliver(task)
        except StopsWorking:
            return

    def act(self, actions: Iterable[Action]) -> None:
        """Do what the way through a task says that asks for a conflict of one's own."""
        for action in actions:
            if isinstance(action, Typed):
                self.log.answer = self.try_git(*action.words)
            elif isinstance(action, Edit):
                self.write(action.path, action.data)

    def is_begun(self, number: int) -> bool:
        """Whether a task was handed out at its conflict."""
        return self.scenario.start.stopped and number == 1

    def begin(self, task: Task, *, detached: bool = False) -> None:
        """Start an operation as it was asked; it stops at the first conflict."""
        self.runner.begin(task, detached=detached)

    def commit_work(self) -> None:
        """Commit the work that was handed out uncommitted, if there is any: then nothing is in the way."""
        if self.scenario.start.work:
            self.git("add", "--all")
            self.git("commit", "-q", "-m", "Keep what I was doing")

    def give_up(self, task: Task) -> None:
        """Leave the operation that is under way, as Git's own advice says."""
        self.runner.give_up(task)

    def go_through(self, number: int, resolve: Resolve | None = None) -> None:
        """Resolve every conflict of the operation that is under way, to its end."""
        task = self.scenario.task[number - 1]

        def resolved(step: Step, unmerged: Iterable[str]) -> None:
            if unmerged:
                (resolve or solve)(self, step)
            else:  # Git lacks what the patch was made from, so it stops without a conflict to be seen
                self.log.deviated = True
                self.put(step.solved, touched_paths(self.key, step))
            self.git("add", "--all")
            self.log.emptied |= task.rewrites_branch and not self.tree.staged()

        self.runner.go_through(number, resolved)
        self.runner.say_afterwards(number)

    def deliver(self, task: Task) -> None:
        """Push and delete, where that is asked."""
        self.runner.deliver(place_of(task, self.scenario.task) + 1)

    def _mend(self, number: int) -> None:
        """What the key changes in a result that Git merged cleanly."""
        steps = [step for step in self.key.steps if step.task == number and step.clean_merge_fixes]
        for step in steps:
            if not step.merge.conflicts:
                self.put(step.solved, step.clean_merge_fixes)
                self.try_git("add", "--all")
                self.try_git("commit", "-q", "-m", "Mend what the merge broke")

    # -- Files ----------------------------------------------------------------------------------------

    def put(self, tree: Tree, paths: Iterable[str]) -> None:
        """Make these paths what they are in a tree: a file, a link, or gone."""
        for path in sorted(paths, key=lambda path: (path in tree, path)):
            self.write(path, *((self.key.texts[tree[path].id], tree[path].mode) if path in tree else (None,)))

    def write(self, path: str, data: bytes | None, mode: int | None = None) -> None:
        """Write a file (None: delete it) as an editor would."""
        target = self.work / path
        if target.is_dir() and not target.is_symlink():
            return  # a folder lies where the other side had a file
        if data is None:
            target.unlink(missing_ok=True)
            return
        target.parent.mkdir(parents=True, exist_ok=True)
        if mode is not None:
            target.unlink(missing_ok=True)
        if mode == LINK:
            target.symlink_to(data.decode())
            return
        target.write_bytes(data)
        if mode is not None:
            target.chmod(mode & 0o777)

    def lines(self, path: str) -> Lines:
        """The lines of a file as it lies there."""
        return lines_of((self.work / path).read_bytes())

    def merged(self, step: Step, path: str, stages: dict[int, str]) -> MergedText | None:
        """The hunks of an unmerged path: the key's where these stages meet there, else what Git shows."""
        known = step.merge.conflict(path)
        if known is not None and {stage: blob.id for stage, blob in known.stages.items()} == stages:
            return known.merged
        self.log.deviated = True
        if 2 not in stages or 3 not in stages:
            return None
        shown = []
        with tempfile.TemporaryDirectory() as folder:
            attributes = Path(folder) / "attributes"
            attributes.write_text(MARKER_ATTRIBUTES, "ascii")
            for style in ("diff3", "merge"):
                options = ("-c", f"core.attributesFile={attributes}", "-c", f"merge.conflictStyle={style}")
                self.try_git(*options, "checkout", "-q", "--merge", "--", path)
                target = self.work / path
                shown.append(target.read_bytes() if target.is_file() else b"")
        self.try_git("checkout", "-q", "--merge", "--", path)  # as it was
        merged = merged_text(shown[1], shown[0])
        return merged if merged.hunks else None

    # -- Choices --------------------------------------------------------------------------------------

    def choose(self, step: Step, choice: Callable[[Conflict | None, int, Hunk], Lines]) -> None:
        """Fill every hunk of the step at hand with what `choice` says; paths without hunks are solved."""
        for path, stages in self.unmerged().items():
            merged = self.merged(step, path, stages)
            known = step.merge.conflict(path)
            if merged is None:
                self.put(step.solved, [path])
                continue
            chosen = [choice(known, number, hunk) for number, hunk in enumerate(merged.hunks, start=1)]
            self.write(path, "".join(merged.resolved(chosen)).encode("utf-8", "surrogateescape"))
            self.note(step, path, merged, chosen)
        self.put(step.solved, step.clean_merge_fixes)

    def keep_side(self, step: Step, word: str) -> None:
        """Keep this word in every hunk, and of a path without hunks that side's version."""
        unmerged = self.unmerged()
        self.choose(step, lambda _, __, hunk: lines_kept(hunk, word))
        stage = STAGE.get(word)
        for path in unmerged:
            known = step.merge.conflict(path)
            if stage is None or known is None or known.merged is not None:
                continue
            blob = known.stages.get(stage)
            self.write(path, self.key.texts[blob.id] if blob else None, blob.mode if blob else None)
            words = {name for name, number in STAGE.items() if blob and known.stages.get(number) == blob}
            self._log(step, path, None, frozenset(words) or frozenset({"gone"}))
            self.log.wrong += not any(
                accepted.gone if blob is None else _is_blob(self.key, known, accepted, blob)
                for accepted in step.accepted.get(path, ())
                if accepted.worth == 1
            )

    def note(self, step: Step, path: str, merged: MergedText, chosen: list[Lines]) -> None:
        """Log what was chosen, and whether the key accepts it."""
        form = alike(self.scenario.spacing)
        if path in hidden_paths(self.key, step):
            self.log.deviated = True  # what came of it shows in a later step alone
            return
        for number, (hunk, text) in enumerate(zip(merged.hunks, chosen, strict=True), start=1):
            words = {word for word in KEEP if form(lines_kept(hunk, word)) == form(text)}
            if step.into is not None:
                continue  # where its commit became empty, nothing tells of it
            self._log(step, path, number, frozenset(words or {"blend"}))
        if self.log.deviated:
            return
        ways = step.accepted.get(path, ())
        spacing = self.scenario.spacing
        fits = [
            way
            for way in ways
            if way.choices and all(worth_of([way], n, text, spacing) == 1 for n, text in enumerate(chosen))
        ]
        self.log.wrong += not fits
        parts = [form(part) for part in merged.parts if not isinstance(part, Hunk)]
        cleans = [[form(part) for part in accepted.clean if part] for accepted in fits or ways]
        left_so = [[part for part in parts if part] == clean for clean in cleans]
        self.log.outside |= bool(cleans) and not any(left_so)
        self.log.perhaps_outside |= not all(left_so)

    def _log(self, step: Step, path: str, hunk: int | None, words: frozenset[str]) -> None:
        about = step.label or short(step.commit) or None
        self.log.kept.append(Kept(step.task, about, path, hunk, words))


class _Hands(Struct, frozen=True):
    """A learner's hands: what they type may fail, and nobody explains it."""

    session: LearnerSession

    @property
    def tree(self) -> PracticeTree:
        return self.session.tree

    def git(self, *words: str, variables: Mapping[str, str] | None = None) -> None:
        self.session.log.answer = self.session.answered(*words, variables=variables or {})

    def put_beside(self, name: str, text: str) -> None:
        (self.session.work.parent / name).write_text(text, "utf-8", "surrogateescape")

    def say(self, text: str) -> None:
        pass


def _is_blob(key: Key, conflict: Conflict, way: Accepted, blob: Blob) -> bool:
    if way.whole:  # a side may have changed nothing but the mode
        return conflict.stages[STAGE[way.word]] == blob
    form = alike(key.scenario.spacing)
    return not way.gone and form(way.text) == form(lines_of(key.texts[blob.id]))


def solve(session: LearnerSession, step: Step) -> None:
    """Put what the key accepts into every conflicted file."""
    conflicted = {*session.unmerged(), *(conflict.path for conflict in step.merge.conflicts)}
    set_aside = step.merge.tree.keys() - step.solved.keys()
    session.put(step.solved, {*conflicted, *step.clean_merge_fixes, *set_aside})


def hardest_task_number(key: Key) -> int:
    """The number of the task at which most goes wrong: the last one that conflicts, or the last one."""
    conflicting = [step.task for step in key.steps if step.merge.conflicts]
    return conflicting[-1] if conflicting else len(key.scenario.task)


def hardest_steps(key: Key) -> Iterator[Step]:
    """The steps of the hardest task."""
    return (step for step in key.steps if step.task == hardest_task_number(key))


def hunks_of(key: Key) -> Iterator[tuple[Step, Conflict, int, Hunk]]:
    """Every hunk that a solution by the key meets, with its number in the file."""
    for step in key.steps:
        for conflict in step.merge.conflicts:
            for number, hunk in enumerate(conflict.merged.hunks if conflict.merged else (), start=1):
                yield step, conflict, number, hunk


def asks_merge_commit(key: Key) -> bool:
    """Whether the hardest task asks for a merge commit."""
    step = next(hardest_steps(key))
    up_to_date = step.fast_forward and step.operation.fast_forward != "never"
    return step.operation.joins and not step.operation.squash and not up_to_date
