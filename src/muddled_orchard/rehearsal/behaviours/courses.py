"""How far learners get: right, not to the end, or with something left lying about."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from muddled_orchard.core.exercise.task import MessageRules, Task
from muddled_orchard.core.exercise.text_rules import flaw_in, several
from muddled_orchard.core.exercise.todo import todo_of
from muddled_orchard.core.git.commits import Commit, contains
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.rehearsal.behaviours.expecting import (
    UNTOUCHED,
    begins_hardest_task,
    expect,
    hardest_task,
    is_emptied,
    last_step,
    left_alone,
    makes_commit,
    unfinished,
)
from muddled_orchard.rehearsal.behaviours.other_ways import _get_ready
from muddled_orchard.rehearsal.session import (
    LearnerSession,
    StopsWorking,
    hardest_steps,
    hardest_task_number,
    solve,
)


def right(session: LearnerSession) -> Expected:
    """Everything by the key. Who ends where they began with it, has not been acted out."""
    session.carry_out()
    expected = expect(session)
    return (
        Expected() if expected is UNTOUCHED else replace(expected, may_lose=expected.may_lose - {"message"})
    )


def other_message(session: LearnerSession) -> Expected:
    """Say the opposite of what was asked: own words where Git's were to stay, Git's where own were wanted."""
    careless = replace(session, says=_wrong_message)
    careless.carry_out()
    return expect(careless, "message")


def _wrong_message(task: Task, _original: Commit | None) -> str | None:
    """What a task does not ask for, None for what Git proposes."""
    if isinstance(task.message, MessageRules):
        holds = flaw_in(task.message, "Done", "it") is None
        return f"Done: {' '.join(several(task.message.lacks))}" if holds else "Done"
    return "Done" if task.message == "proposed" else None


def asks_for_messages(key: Key) -> bool:
    """Where a message is asked for that an editor is opened for, and a commit is left that has it."""
    return any(
        step.operation.message is not None
        and not step.fast_forward
        and not step.becomes_empty(key.commits)
        and (bool(step.merge.conflicts) or step.operation.joins)
        for step in key.steps
    )


def second_try(session: LearnerSession) -> Expected:
    """Begin, give up, begin again, and do it right."""
    task = session.scenario.task[0]
    session.begin(task)
    _abort(session, task)
    return right(session)


def aborted(session: LearnerSession) -> Expected:
    """Resolve the first conflict and go back."""
    task = session.scenario.task[0]
    if not session.is_begun(1):
        session.begin(task)
    _abort(session, task)
    return UNTOUCHED


def _abort(session: LearnerSession, task: Task) -> None:
    if task.stays_uncommitted or task.squash:
        session.git("reset", "-q", "--hard")
    else:
        session.git(task.under_way, "--abort")


def stopped_at(step_number: int, session: LearnerSession) -> Expected:
    """Solve what comes before, and leave at this conflict as Git shows it."""
    count = 0
    here: Step | None = None

    def resolve(session: LearnerSession, step: Step) -> None:
        nonlocal count, here
        count += 1
        if count == step_number:
            here = step
            raise StopsWorking
        solve(session, step)

    session.carry_out(resolve)
    if step_number == 1 and session.scenario.start.stopped:
        return UNTOUCHED
    shows = here is not None and any(conflict.merged for conflict in here.merge.conflicts)
    return unfinished(session, "resolution" + (" markers" if shows else ""), "rest tidy")


def not_staged(session: LearnerSession) -> Expected:
    """Resolve the last conflict and forget it."""
    _leave_last(session, staged=False)
    last = last_step(session.key)
    whole = any(conflict.merged is None for conflict in last.merge.conflicts)
    # Of a path without hunks, and of a new file, only staging tells that it was decided.
    unseen = whole or not last.clean_merge_fixes.keys() <= last.merge.tree.keys()
    return unfinished(session, may_lose="resolution rest tidy" if unseen else "")


def not_committed(session: LearnerSession) -> Expected:
    """Resolve and stage the last conflict, and forget to complete it."""
    _leave_last(session, staged=True)
    return unfinished(session)


def _leave_last(session: LearnerSession, *, staged: bool) -> None:
    last = last_step(session.key)

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        if step is last:
            if staged:
                session.git("add", "--all")
            raise StopsWorking

    session.carry_out(resolve)


def not_delivered(session: LearnerSession) -> Expected:
    """Do everything but push, and delete nothing."""
    session.carry_out(deliver=False)
    return expect(session, "delivered")


def skipped(session: LearnerSession) -> Expected:
    """Skip every commit that conflicts."""

    def instead(session: LearnerSession, task: Task) -> None:
        if not session.is_begun(hardest_task_number(session.key)):
            session.begin(task)
        how = task.under_way
        for _ in range(len(session.key.steps) + 1):
            if session.unmerged():
                session.try_git(how, "--skip")

    session.carry_out(instead=instead)
    if all(is_emptied(session.key, step) for step in hardest_steps(session.key) if step.merge.conflicts):
        return expect(session)  # nothing is left of them anyway
    some = frozenset({"history", "resolution"})  # what a commit brings, is thrown away with it
    return expect(session, may_lose="history resolution rest rules delivered", at_least_one=some)


def detached(session: LearnerSession) -> Expected:
    """Work on a detached HEAD, so that the branch receives nothing."""

    def instead(session: LearnerSession, task: Task) -> None:
        session.begin(task, detached=True)
        session.go_through(hardest_task_number(session.key))

    session.carry_out(instead=instead)
    return expect(session, "history tidy", "delivered")


def amended(session: LearnerSession) -> Expected:
    """Give the last commit another message afterwards."""
    session.carry_out()
    session.git("commit", "-q", "--amend", "-m", "It is done")
    task = session.scenario.task[-1]
    reworded = task.keeps_commits and task.message is None
    if task.todo is not None and [item.word for item in todo_of(task) if item.word != "drop"][-1] == "reword":
        reworded = False  # it was to have another one
    return expect(session, ("history " if reworded else "") + ("delivered" if task.push else ""))


def committed_in_between(session: LearnerSession) -> Expected:
    """Commit each resolved step before the rebase goes on."""

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        session.git("add", "--all")
        session.try_git("commit", "-q", "--no-edit")

    session.carry_out(resolve)
    # Git takes the author from what it stopped at only in `git rebase --continue`.
    left = [
        step
        for step in hardest_steps(session.key)
        if step.merge.conflicts and not is_emptied(session.key, step)
    ]
    return expect(session, "history" if left else "")


def backup(session: LearnerSession, *, committed: bool) -> Expected:
    """Leave a merge tool's backup file behind."""
    last = last_step(session.key)
    name = f"{last.merge.conflicts[0].path}.orig"

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        if step is last and committed:
            session.write(name, b"As it was before.\n")

    session.carry_out(resolve)
    if not committed:
        session.write(name, b"As it was before.\n")
    return expect(session, "tidy")


def bystander(act: Callable[[LearnerSession, str], None], session: LearnerSession) -> Expected:
    """Do everything right, and something to a branch that was to be left alone."""
    session.carry_out()
    act(session, next(left_alone(session.key)))
    return expect(session, "bystanders")


def moved(session: LearnerSession, branch: str) -> None:
    """Move a branch to what is checked out."""
    session.git("commit", "-q", "--allow-empty", "-m", "On")
    session.git("branch", "-f", branch)
    session.git("reset", "-q", "--hard", "HEAD~1")


def deleted(session: LearnerSession, branch: str) -> None:
    """Delete a branch."""
    session.git("branch", "-D", branch)


def stash_kept(session: LearnerSession) -> Expected:
    """Forget that Git keeps a stash whose pop conflicts."""

    def instead(session: LearnerSession, task: Task) -> None:
        session.begin(task)
        solve(session, next(hardest_steps(session.key)))
        session.git("add", "--all")

    session.carry_out(instead=instead)
    return expect(session, "tidy")


def stash_dropped(session: LearnerSession) -> Expected:
    """Throw the stashed work away."""

    def instead(session: LearnerSession, _: Task) -> None:
        session.git("stash", "drop", "-q")

    session.carry_out(instead=instead)
    return expect(session, "resolution", "rest rules")


def in_parts(session: LearnerSession) -> Expected:
    """Merge an older commit of the branch first, and the rest of it then."""

    def instead(session: LearnerSession, task: Task) -> None:
        _get_ready(session, task)
        for part in (f"{task.source}~1", task.source):
            session.try_git("merge", "-q", "--no-edit", "--no-ff", part)
            step = next(hardest_steps(session.key))
            if session.unmerged() or part == task.source:
                solve(session, step)
                session.git("add", "--all")
                session.try_git("commit", "-q", "--no-edit")

    session.carry_out(instead=instead)
    return expect(session, may_lose="history")


def has_several_commits(key: Key) -> bool:
    """Where the hardest task brings in a branch by a merge that has more than one commit of its own."""
    step = next(hardest_steps(key))
    older = key.commits[step.theirs].parents[:1]
    return bool(older) and not contains(key.commits, step.ours, older[0])


def has_older_base(key: Key) -> bool:
    """Where the new base of a rebase has more than one commit that the branch lacks."""
    step = next(hardest_steps(key))
    older = key.commits[step.ours].parents[:1]
    return bool(older) and step.operation.replays_own and not contains(key.commits, step.theirs, older[0])


def can_skip(key: Key) -> bool:
    """Where commits are replayed."""
    task = hardest_task(key)
    return task.replays_own or task.adds_commits


def can_detach(key: Key) -> bool:
    """Where the last task ends in commits of the learner's."""
    last = hardest_task_number(key) == len(key.scenario.task)
    commits = not hardest_task(key).stays_uncommitted and makes_commit(key.steps[-1])
    return last and begins_hardest_task(key) and commits


def can_amend(key: Key) -> bool:
    """Where the last commit is the learner's own."""
    last = key.steps[-1]
    return not last.operation.stays_uncommitted and not last.fast_forward and makes_commit(last)
