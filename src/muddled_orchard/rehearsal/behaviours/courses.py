"""Which way learners take: right, not to the end, by another operation than was asked, or with something
left lying about."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from muddled_orchard.core.exercise.operations import operation_of
from muddled_orchard.core.exercise.scenario import Task
from muddled_orchard.core.exercise.tasks import is_rebase, is_stash_pop, source_of
from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.answers import side
from muddled_orchard.core.merging.conflict import STAGE
from muddled_orchard.rehearsal.behaviours.expecting import (
    UNTOUCHED,
    Act,
    begins_at_knot,
    expect,
    is_emptied,
    knot_task,
    last_step,
    left_alone,
    merge_commits_only,
    unfinished,
)
from muddled_orchard.rehearsal.session import Desk, Left, knot, knots, solve


def right(desk: Desk) -> Expected:
    """Everything by the key. Who ends where they began with it, has not been acted out."""
    desk.carry_out()
    expected = expect(desk)
    return Expected() if expected is UNTOUCHED else expected


def second_try(desk: Desk) -> Expected:
    """Begin, give up, begin again, and do it right."""
    task = desk.scenario.task[0]
    desk.begin(task)
    _abort(desk, task)
    return right(desk)


def aborted(desk: Desk) -> Expected:
    """Meet the first conflict and go back."""
    task = desk.scenario.task[0]
    if not desk.is_begun(1):
        desk.begin(task)
    _abort(desk, task)
    return UNTOUCHED


def _abort(desk: Desk, task: Task) -> None:
    if is_stash_pop(task) or task.squash:
        desk.git("reset", "-q", "--hard")
    else:
        desk.git(operation_of(task).under_way, "--abort")


def stopped_at(step_number: int, desk: Desk) -> Expected:
    """Solve what comes before, and leave at this conflict as Git shows it."""
    met = 0
    here: Step | None = None

    def meet(desk: Desk, step: Step) -> None:
        nonlocal met, here
        met += 1
        if met == step_number:
            here = step
            raise Left
        solve(desk, step)

    desk.carry_out(meet)
    if step_number == 1 and desk.scenario.start.stopped:
        return UNTOUCHED
    shows = here is not None and any(conflict.merged for conflict in here.meeting.conflicts)
    return unfinished(desk, "resolution" + (" markers" if shows else ""), "rest tidy")


def not_staged(desk: Desk) -> Expected:
    """Resolve the last conflict and forget it."""
    _leave_last(desk, staged=False)
    last = last_step(desk.key)
    whole = any(conflict.merged is None for conflict in last.meeting.conflicts)
    # Of a path without hunks, and of a new file, only staging tells that it was decided.
    unseen = whole or not last.mended <= last.meeting.tree.keys()
    return unfinished(desk, may="resolution rest tidy" if unseen else "")


def not_committed(desk: Desk) -> Expected:
    """Resolve and stage the last conflict, and forget to complete it."""
    _leave_last(desk, staged=True)
    return unfinished(desk)


def _leave_last(desk: Desk, *, staged: bool) -> None:
    last = last_step(desk.key)

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        if step is last:
            if staged:
                desk.git("add", "--all")
            raise Left

    desk.carry_out(meet)


def not_delivered(desk: Desk) -> Expected:
    """Do everything but push, and delete nothing."""
    desk.carry_out(deliver=False)
    return expect(desk, "delivered")


def skipped(desk: Desk) -> Expected:
    """Skip every commit that conflicts."""

    def instead(desk: Desk, task: Task) -> None:
        if not desk.is_begun(knot(desk.key)):
            desk.begin(task)
        how = operation_of(task).under_way
        for _ in range(len(desk.key.steps) + 1):
            if desk.unmerged():
                desk.try_git(how, "--skip")

    desk.carry_out(instead=instead)
    if all(is_emptied(desk.key, step) for step in knots(desk.key) if step.meeting.conflicts):
        return expect(desk)  # nothing is left of them anyway
    some = frozenset({"history", "resolution"})  # what a commit brings, is thrown away with it
    return expect(desk, may="history resolution rest rules delivered", some=some)


def another_way(how: Callable[[Desk, Task], None], lost: str, may: str = "") -> Act:
    """Carry the knot task out in another way, all else as asked."""

    def act(desk: Desk) -> Expected:
        desk.carry_out(instead=how)
        return expect(desk, lost, may)

    return act


def only_moved_on(desk: Desk) -> Expected:
    """Let a branch move on where a merge commit was asked."""
    desk.carry_out(instead=merged_with("--ff"), at=next(merge_commits_only(desk.key)))
    return expect(desk, "history")


def nothing_taken(desk: Desk) -> Expected:
    """Merge with `-s ours`, which takes nothing of the other side, and look no further."""

    def instead(desk: Desk, task: Task) -> None:
        merged_with("-s", "ours")(desk, task)
        raise Left

    desk.carry_out(instead=instead)
    may = "rules resolution rest" + ("" if knot(desk.key) == len(desk.scenario.task) else " finished")
    return expect(desk, "delivered", may, some=frozenset({"resolution", "rest"}))


def base_rebased(desk: Desk) -> Expected:
    """Rebase the new base onto the branch, the wrong way round."""
    desk.carry_out(instead=rebased_the_base)
    expected = expect(desk, "history bystanders", "resolution rest rules tidy markers finished", or_open=True)
    # Where nothing was left of the base's own commits, there is no result at all.
    made = desk.git("rev-parse", source_of(knot_task(desk.key)) or "").strip()
    return replace(expected, state="open") if made in desk.key.commits else expected


def _get_ready(desk: Desk, task: Task) -> None:
    """Check the branch out, with what its task brings in fetched."""
    desk.git("checkout", "-q", task.on)
    if is_on_remote(source_of(task)):
        desk.git("fetch", "-q")


def _as_solved(desk: Desk) -> None:
    """Make every unmerged path what the solution has there."""
    step = list(knots(desk.key))[-1]
    desk.put(step.solved, {*desk.unmerged(), *step.mended})


def wrong_way_round(desk: Desk, task: Task) -> None:
    """Merge the receiving branch into the other one."""
    desk.git("checkout", "-q", source_of(task) or "")
    desk.try_git("merge", "-q", "--no-edit", task.on)
    step = next(knots(desk.key))
    if step.meeting.conflicts:
        solve(desk, step)
        desk.git("add", "--all")
        desk.git("commit", "-q", "--no-edit")


def rebased(desk: Desk, task: Task) -> None:
    """Rebase where a merge was asked."""
    _get_ready(desk, task)
    desk.try_git("rebase", source_of(task) or "")
    _replay_through(desk)


def rebased_the_base(desk: Desk, task: Task) -> None:
    """The rebase the wrong way round itself."""
    desk.git("checkout", "-q", source_of(task) or "")
    desk.try_git("rebase", task.on)
    _replay_through(desk)


def _replay_through(desk: Desk) -> None:
    for _ in range(20):
        if not (desk.gitdir / "rebase-merge").exists():
            return
        _as_solved(desk)
        desk.git("add", "--all")
        desk.try_git("rebase", "--continue")


def merged_instead(desk: Desk, task: Task) -> None:
    """Merge where a rebase was asked."""
    _get_ready(desk, task)
    desk.try_git("merge", "-q", "--no-edit", source_of(task) or "")
    _as_solved(desk)
    desk.git("add", "--all")
    desk.try_git("commit", "-q", "--no-edit")


def merged_with(*options: str) -> Callable[[Desk, Task], None]:
    """Merge with options that were not asked for."""

    def act(desk: Desk, task: Task) -> None:
        _get_ready(desk, task)
        desk.try_git("merge", "-q", "--no-edit", *options, source_of(task) or "")
        if desk.unmerged():
            solve(desk, next(knots(desk.key)))
            desk.git("add", "--all")
        desk.try_git("commit", "-q", "--no-edit")

    return act


def favours(word: str, desk: Desk) -> Expected:
    """`git merge -X`: no hunk is looked at."""
    desk.carry_out(instead=merged_with("-X", word))
    for step in knots(desk.key):
        for conflict in step.meeting.conflicts:
            assert conflict.merged is not None  # noqa: S101 - it applies only then
            chosen = [side(hunk, word) for hunk in conflict.merged.hunks]
            desk.note(step, conflict.path, conflict.merged, chosen)
    # Files that were merged cleanly and are wrong aren't looked at either.
    unmended = "rest" if any(step.mended and step.meeting.conflicts for step in knots(desk.key)) else ""
    return expect(desk, unmended, f"rules {unmended}")


def copied(desk: Desk, task: Task) -> None:
    """Copy the right content by hand, without any merge."""
    desk.git("checkout", "-q", task.on)
    step = next(knots(desk.key))
    here = {path for path in desk.git("ls-files", "-z").split("\0")[:-1] if path not in step.solved}
    desk.put(step.solved, [*sorted(here), *step.solved])
    desk.git("add", "--all")
    desk.git("commit", "-q", "-m", "Bring the other work in")


def squashed_replay(desk: Desk) -> Expected:
    """Rebase, and make one commit of it."""
    desk.carry_out()
    task = knot_task(desk.key)
    desk.git("reset", "-q", "--soft", source_of(task) or "")
    desk.git("commit", "-q", "-m", "All my work")
    return expect(desk, "history", "resolution rest delivered")


def detached(desk: Desk) -> Expected:
    """Work on a detached HEAD, so that the branch receives nothing."""

    def instead(desk: Desk, task: Task) -> None:
        desk.begin(task, detached=True)
        desk.go_through(knot(desk.key))

    desk.carry_out(instead=instead)
    return expect(desk, "history tidy", "delivered")


def amended(desk: Desk) -> Expected:
    """Give the last commit another message afterwards."""
    desk.carry_out()
    desk.git("commit", "-q", "--amend", "-m", "It is done")
    task = desk.scenario.task[-1]
    reworded = operation_of(task).keeps_commits
    return expect(desk, ("history " if reworded else "") + ("delivered" if task.push else ""))


def committed_in_between(desk: Desk) -> Expected:
    """Commit each resolved step before the rebase goes on."""

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        desk.git("add", "--all")
        desk.try_git("commit", "-q", "--no-edit")

    desk.carry_out(meet)
    # Git takes the author from what it stopped at only in `git rebase --continue`.
    left = [step for step in knots(desk.key) if step.meeting.conflicts and not is_emptied(desk.key, step)]
    return expect(desk, "history" if left else "")


def backup(desk: Desk, *, committed: bool) -> Expected:
    """Leave a merge tool's backup file behind."""
    last = last_step(desk.key)
    name = f"{last.meeting.conflicts[0].path}.orig"

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        if step is last and committed:
            desk.write(name, b"As it was before.\n")

    desk.carry_out(meet)
    if not committed:
        desk.write(name, b"As it was before.\n")
    return expect(desk, "tidy")


def bystander(act: Callable[[Desk, str], None], desk: Desk) -> Expected:
    """Do everything right, and something to a branch that was to be left alone."""
    desk.carry_out()
    act(desk, next(left_alone(desk.key)))
    return expect(desk, "bystanders")


def moved(desk: Desk, branch: str) -> None:
    """Move a branch to what is checked out."""
    desk.git("commit", "-q", "--allow-empty", "-m", "On")
    desk.git("branch", "-f", branch)
    desk.git("reset", "-q", "--hard", "HEAD~1")


def deleted(desk: Desk, branch: str) -> None:
    """Delete a branch."""
    desk.git("branch", "-D", branch)


def stash_kept(desk: Desk) -> Expected:
    """Forget that Git keeps a stash whose pop conflicts."""

    def instead(desk: Desk, task: Task) -> None:
        desk.begin(task)
        solve(desk, next(knots(desk.key)))
        desk.git("add", "--all")

    desk.carry_out(instead=instead)
    return expect(desk, "tidy")


def stash_dropped(desk: Desk) -> Expected:
    """Throw the stashed work away."""

    def instead(desk: Desk, _: Task) -> None:
        desk.git("stash", "drop", "-q")

    desk.carry_out(instead=instead)
    return expect(desk, "resolution", "rest rules")


def in_parts(desk: Desk) -> Expected:
    """Merge an older commit of the branch first, and the rest of it then."""

    def instead(desk: Desk, task: Task) -> None:
        _get_ready(desk, task)
        for part in (f"{source_of(task)}~1", source_of(task) or ""):
            desk.try_git("merge", "-q", "--no-edit", "--no-ff", part)
            step = next(knots(desk.key))
            if desk.unmerged() or part == source_of(task):
                solve(desk, step)
                desk.git("add", "--all")
                desk.try_git("commit", "-q", "--no-edit")

    desk.carry_out(instead=instead)
    return expect(desk, may="history")


def on_older_base(desk: Desk) -> Expected:
    """Rebase onto an older commit than was asked."""

    def instead(desk: Desk, task: Task) -> None:
        _get_ready(desk, task)
        desk.try_git("rebase", f"{source_of(task)}~1")
        _replay_through(desk)

    desk.carry_out(instead=instead)
    return expect(desk, "history", "resolution rules rest delivered")


def taken_early(desk: Desk) -> Expected:
    """Take the other side's files before the merge, so that nothing conflicts any more."""

    def instead(desk: Desk, task: Task) -> None:
        _get_ready(desk, task)
        step = next(knots(desk.key))
        for conflict in step.meeting.conflicts:
            blob = conflict.stages.get(STAGE["theirs"])
            desk.write(conflict.path, desk.key.texts[blob.id] if blob else None, blob.mode if blob else None)
        desk.git("add", "--all")
        desk.try_git("commit", "-q", "-m", "Take theirs")
        desk.try_git("merge", "-q", "--no-edit", source_of(task) or "")
        if desk.pending:
            desk.git("merge", "--abort")

    desk.carry_out(instead=instead, mend=False)
    # What conflicts by its place alone does so all the same, and then nothing is merged at last.
    return expect(desk, may="resolution rest rules markers history delivered bystanders finished tidy")


def has_several_commits(key: Key) -> bool:
    """Where the knot task brings in a branch by a merge that has more than one commit of its own."""
    step = next(knots(key))
    older = key.commits[step.theirs].parents[:1]
    return bool(older) and not contains(key.commits, step.ours, older[0])


def has_older_base(key: Key) -> bool:
    """Where the new base of a rebase has more than one commit that the branch lacks."""
    step = next(knots(key))
    older = key.commits[step.ours].parents[:1]
    return bool(older) and is_rebase(step.operation) and not contains(key.commits, step.theirs, older[0])


def can_skip(key: Key) -> bool:
    """Where commits are replayed."""
    task = knot_task(key)
    return operation_of(task).result in ("rewritten branch", "new commits")


def can_detach(key: Key) -> bool:
    """Where the last task ends in commits of the learner's."""
    last = knot(key) == len(key.scenario.task)
    return last and begins_at_knot(key) and not is_stash_pop(knot_task(key))


def can_amend(key: Key) -> bool:
    """Where the last commit is the learner's own."""
    return not is_stash_pop(key.scenario.task[-1]) and not key.steps[-1].fast_forward
