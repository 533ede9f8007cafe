"""Each task of a scenario carried out and shown: what is typed is `vcs.carrying_out`'s, what is said of it
and looked at stands here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import partial

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.roles import ROLES, as_seen_by, has_roles
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.git.trees import PLAIN_FILE, Tree
from muddled_orchard.core.key.answer_key import Key, Step, touched_paths
from muddled_orchard.core.key.own_course import Action, Edit, Typed, own_course
from muddled_orchard.core.walkthrough.step_names import step_name
from muddled_orchard.core.walkthrough.task_times import task_time
from muddled_orchard.core.walkthrough.walkthrough import COLLEAGUE, ORIGIN, WORK, Identity
from muddled_orchard.vcs.carrying_out import TaskRunner
from muddled_orchard.vcs.walkthrough.conflicts import ConflictShown
from muddled_orchard.vcs.walkthrough.recorder import Recorder, StepReached


def carry_out(recorder: Recorder, *, with_key: bool = True) -> None:
    """Carry every task out by the key. Without it, it ends before the first conflict is resolved."""
    _Tasks(recorder, with_key=with_key).run()


_OVERWRITTEN = (
    "your own changes, which are nowhere else yet, would be overwritten. "
    "Commit them first (or put them aside with git stash), then do it again."
)


class _Tasks:
    """The tasks, one after the other; how many conflicts there were by now."""

    def __init__(self, recorder: Recorder, *, with_key: bool) -> None:
        self.recorder = recorder
        self.key: Key = recorder.key
        self.with_key = with_key
        self.conflicts = 0
        self.tried = False
        self.runner = TaskRunner(recorder, self.key)

    def run(self) -> None:
        """Carry all of them out; where they are given out by roles, those of the second one in a clone of
        their own."""
        tasks = self.key.scenario.task
        if not has_roles(tasks):
            for number, task in enumerate(tasks, start=1):
                self._task(number, task)
            return
        self._clone_for_another()
        seen = {role: as_seen_by(role, tasks) for role in ROLES}
        for number, task in enumerate(tasks, start=1):
            role = task.role or ROLES[0]
            self.recorder.close_step()
            self.recorder.place = WORK if role == ROLES[0] else COLLEAGUE
            self._task(number, seen[role][number - 1])
        if self.recorder.place != WORK:
            self.recorder.place = WORK
            self._catch_up(tasks[-1])

    def _clone_for_another(self) -> None:
        """Whoever has the second role works in a clone of the same remote."""
        recorder = self.recorder
        if not (recorder.room / COLLEAGUE).is_dir():
            recorder.say("Two work on this. The other one has a clone of what lies at the remote:")
            recorder.git("clone", "-q", ORIGIN, COLLEAGUE, folder=".")
            recorder.git("remote", "set-url", "origin", f"../{ORIGIN}", folder=COLLEAGUE)

    def _catch_up(self, last: Task) -> None:
        """Have here what the other one has pushed in the end."""
        recorder = self.recorder
        recorder.say("What the other one has pushed comes here with a fetch:")
        recorder.git("fetch", "--prune")
        recorder.git("switch", last.on)
        recorder.git("merge", "--ff-only", f"origin/{last.on}")
        if last.delete and recorder.tree.has_branch(last.delete):
            recorder.git("branch", "-d", last.delete)
        recorder.look("log", "--oneline", "--graph", "--decorate", "--all")

    def _name(self, kind: str, number: int) -> str:
        """The name of a step about a task: what ends the last one has no number."""
        last = len(self.key.scenario.task)
        return step_name(kind, number, bare=last if kind == "done" else 1)

    def _task(self, number: int, task: Task) -> None:
        recorder = self.recorder
        recorder.who = self._who(number, task)
        self._ready(number, task)
        if isinstance(task, OwnConflict):
            self._make(number, task)
            return
        self._begin(task)
        self.tried = False
        if task.abort:
            if recorder.tree.unmerged():
                self._meet(number)
                recorder.open_step("task")
                self.runner.give_up(task)
                recorder.say("Everything is as it was before the task was begun.")
        elif not self.runner.go_through(number, partial(self._resolve, number, task)):
            unmerged = ", ".join(recorder.tree.unmerged())
            what = f"task {number} does not come to an end by its key: {unmerged or 'it goes on and on'}"
            raise BadInput(
                Problem(what, "Try it by hand; muddled rehearse may say more.", ("task", number - 1))
            )
        self._finish(number, task)

    def _make(self, number: int, task: OwnConflict) -> None:
        """Make a conflict, meet it, and resolve it."""
        recorder, course = self.recorder, own_course(self.key, task)
        self.conflicts += 1
        recorder.step("task", self._name("sides", number), "Two sides change the same")
        self._act(course.sides)
        recorder.step("task", self._name("conflict", number), "And Git stops")
        self._act(course.together)
        recorder.say("Read the message aloud: what could Git not do, and in which files?")
        recorder.look("status")
        for path in recorder.tree.unmerged():
            recorder.view(path)
        recorder.say("Why did it come to this? Both sides changed the same after they had parted.")
        if not self.with_key:
            self._yours(task)
            raise StepReached
        recorder.step("task", self._name("resolved", number), "Resolved, staged and completed")
        recorder.say("Say what is right, and take the markers out:")
        self._act(course.resolved)
        self._act(course.end)
        recorder.step("task", self._name("done", number), f"Done: {in_words(task)}")
        self._look_back(task)
        if task.push or task.delete:
            self._deliver(number, task)

    def _act(self, actions: Sequence[Action]) -> None:
        for action in actions:
            if isinstance(action, Typed):
                self.recorder.git(*action.words)
            elif isinstance(action, Edit):
                self.recorder.edit(action.path, action.data, PLAIN_FILE)
            else:
                self.recorder.say(action.text)

    def _meet(self, number: int) -> ConflictShown:
        recorder = self.recorder
        self.conflicts += 1
        unmerged = list(recorder.tree.unmerged())
        shown = ConflictShown(recorder, self.runner.at_hand(number), self.conflicts, unmerged)
        shown.meet()
        return shown

    def _resolve(self, number: int, task: Task, step: Step, unmerged: Iterable[str]) -> None:
        shown = self._meet(number)
        if not self.tried:
            self._wrong_turns(task, shown)
            self.tried = True
        if not self.with_key:
            self._yours(task)
            raise StepReached
        shown.resolve(self._solved(step, list(unmerged)))
        self.recorder.open_step("task")

    def _who(self, number: int, task: Task) -> Identity:
        history = self.key.history
        last = max(history.commits, key=lambda commit: commit.time)
        author = history.commits[history.tips.get(task.on, 0)].author
        time = task_time(self.key, number)
        replays = task.keeps_commits
        return Identity(author.name, author.email, time, last.offset, replays)

    # -- Before ---------------------------------------------------------------------------------------

    def _ready(self, number: int, task: Task) -> None:
        recorder = self.recorder
        what = in_words(task)
        recorder.step("task", self._name("ready", number), f"The task: {what}")
        if recorder.tree.branch() != task.on:
            rewrites = task.rewrites_branch
            if self.key.scenario.start.work and rewrites and recorder.tree.is_dirty():
                recorder.say(
                    f"{recorder.tree.branch()} has changes that nobody has committed. They stay here:"
                )
                self._commit_work()
            recorder.git("switch", task.on)
            if recorder.tree.branch() != task.on and self.key.scenario.start.work:
                recorder.say(f"Git refuses to switch: {_OVERWRITTEN}")
                self._commit_work()
                recorder.git("switch", task.on)
        source = task.source
        recorder.look("status")
        self.runner.push_first(task)
        if is_on_remote(source):
            recorder.say("That is what is known here since the last fetch. What is there really?")
            recorder.git("fetch")
            recorder.look("status")
        told, looks = task.look_first(self.runner.labels)
        if told:
            recorder.say(told)
        for words in looks:
            recorder.look(*words)

    # -- The operation --------------------------------------------------------------------------------

    def _begin(self, task: Task) -> None:
        recorder = self.recorder
        recorder.open_step("task")
        before = recorder.tree.head()
        if why := self._why_work_comes_first(task):
            recorder.say(
                f"Your own changes lie in a file that {why}. They are committed first (or put aside with git "
                "stash)."
            )
            self._commit_work()
            before = recorder.tree.head()
        self.runner.start(task)
        if self.key.scenario.start.work and recorder.tree.head() == before and not recorder.tree.pending():
            recorder.say(f"Git refuses to begin: {_OVERWRITTEN}")
            self._commit_work()
            self.runner.start(task)
        elif (
            self.key.scenario.start.work
            and recorder.tree.pending()
            and not (recorder.tree.unmerged() or recorder.tree.applying() or recorder.tree.staged())
        ):
            recorder.say(f"Git refuses to go on: {_OVERWRITTEN}")
            self.runner.give_up(task)
            self._commit_work()
            self.runner.start(task)

    def _why_work_comes_first(self, task: Task) -> str:
        """Why uncommitted work has to be out of the way where Git begins all the same; nothing where it has
        not: a conflict without hunks mixes with it, and a later one of several commits is refused."""
        work = self.key.scenario.start.work.keys()
        steps = [step for step in self.key.steps if step.operation is task]
        met = [conflict for step in steps for conflict in (step.given_up or step).merge.conflicts]
        later = {path for step in steps[1:] if step.commit for path in touched_paths(self.key, step)}
        if not work or not self.recorder.tree.is_dirty():
            return ""
        if any(conflict.path in work and not conflict.merged for conflict in met):
            return "is about to conflict as a whole, and Git would mix the two"
        return "a later one of these commits changes, and Git would refuse halfway" if later & work else ""

    def _commit_work(self) -> None:
        recorder = self.recorder
        recorder.git("add", "--all")
        if (who := recorder.who) is not None:
            recorder.who = replace(who, replays=False)
        recorder.git("commit", "-m", "Keep what I was doing")
        recorder.who = who

    def _solved(self, step: Step, unmerged: Sequence[str]) -> dict[str, bytes | None]:
        """What becomes of each path that the resolution is about (None: it goes)."""
        conflicted = {*unmerged, *(conflict.path for conflict in step.merge.conflicts)}
        set_aside = step.merge.tree.keys() - step.solved.keys()
        paths = {*conflicted, *step.clean_merge_fixes, *set_aside}
        if not unmerged:  # a patch that Git could not even begin with
            paths |= touched_paths(self.key, step)
        return self._contents(step.solved, sorted(paths))

    def _contents(self, tree: Tree, paths: Sequence[str]) -> dict[str, bytes | None]:
        return {path: self.key.texts[tree[path].id] if path in tree else None for path in paths}

    # -- Wrong turns ----------------------------------------------------------------------------------

    def _wrong_turns(self, task: Task, shown: ConflictShown) -> None:
        """What is worth trying once: each is undone again, and changes nothing."""
        recorder = self.recorder
        recorder.open_step("task")
        recorder.call_step(step_name("abort", self.conflicts), "A way out: give it up", wrong_turn=True)
        if recorder.looking:
            self.runner.give_up(task)
            recorder.look("status")
            recorder.say("It is as if it had never been begun: a try costs nothing. Once more:")
            self.runner.start(task)
        shown.try_choices(with_key=self.with_key)
        shown.in_a_tool()

    def _yours(self, task: Task) -> None:
        """Where the walkthrough ends that does not know the answer."""
        recorder = self.recorder
        recorder.step("task", "yours", "Now it is yours")
        how = task.go_on()
        recorder.say(
            "Edit what conflicts so that it is right and no marker is left, stage it with git add, "
            + (f"and complete it with git {' '.join(how)}." if how else "and drop the stash.")
        )
        recorder.say("git status says at any time what is still to be done.")

    # -- Afterwards -----------------------------------------------------------------------------------

    def _finish(self, number: int, task: Task) -> None:
        recorder = self.recorder
        self._mend(number)
        more = bool(task.push or task.delete)
        title = "Given up" if task.abort else "Done"
        what = in_words(replace(task, abort=False))
        recorder.call_step(self._name("committed" if more else "done", number), f"{title}: {what}")
        self._look_back(task)
        if more:
            recorder.step("task", self._name("done", number), _delivering(task))
            self._deliver(number, task)

    def _mend(self, number: int) -> None:
        """What still has to be done to a result that Git merged without a conflict."""
        recorder = self.recorder
        task = self.key.scenario.task[number - 1]
        self.runner.say_afterwards(number)
        for step in self.key.steps:
            if step.task == number and step.clean_merge_fixes and not step.merge.conflicts:
                paths = listed(sorted(step.clean_merge_fixes))
                recorder.say(f"Git saw no conflict, and yet it is not right: look at {paths}.")
                for path in sorted(step.clean_merge_fixes):
                    recorder.view(path)
                if not self.with_key:
                    recorder.call_step(self._name("committed", number), f"Git is done: {in_words(task)}")
                    recorder.step("task", "yours", "Now it is yours")
                    recorder.say("Find what has to be changed all the same, change it, and commit it.")
                    raise StepReached
                for path, data in self._contents(step.solved, sorted(step.clean_merge_fixes)).items():
                    mode = step.solved[path].mode if path in step.solved else PLAIN_FILE
                    recorder.edit(path, data, mode)
                recorder.git("add", "--all")
                recorder.git("commit", "-m", "Mend what the merge broke")

    def _look_back(self, task: Task) -> None:
        recorder = self.recorder
        recorder.look("log", "--oneline", "--graph", "--decorate", "--all")
        recorder.look("status")
        if task.source and not task.abort:
            recorder.say(f"And {task.source} stands where it stood:")
            recorder.look("log", "-1", "--oneline", task.source)

    def _deliver(self, number: int, task: Task) -> None:
        recorder = self.recorder
        if task.push:
            recorder.look("status", "--short", "--branch")
            recorder.say("The others see nothing of it before it is pushed.")
        self.runner.deliver(number)
        if task.push:
            recorder.look("status", "--short", "--branch")
        if task.delete:
            recorder.look("branch", "--all")


def _delivering(task: Task) -> str:
    parts = [f"Push {task.on}"] if task.push else []
    parts += [f"delete {task.delete}"] if task.delete else []
    text = " and ".join(parts)
    return text[:1].upper() + text[1:]
