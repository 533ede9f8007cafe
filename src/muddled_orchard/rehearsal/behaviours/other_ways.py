"""Tasks that are carried out in another way than asked: merged for rebased, the wrong way round, by options,
in part."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.refs import REMOTE, is_on_remote
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.conflict import STAGE
from muddled_orchard.core.merging.keep import lines_kept
from muddled_orchard.rehearsal.behaviours.expecting import (
    Act,
    expect,
    hardest_task,
    merge_commits_only,
)
from muddled_orchard.rehearsal.session import (
    LearnerSession,
    StopsWorking,
    asks_merge_commit,
    hardest_steps,
    hardest_task_number,
    solve,
)


def another_way(how: Callable[[LearnerSession, Task], None], must_lose: str, may_lose: str = "") -> Act:
    """Carry the hardest task out in another way, all else as asked."""

    def act(session: LearnerSession) -> Expected:
        session.carry_out(instead=how)
        return expect(session, must_lose, may_lose)

    return act


def only_moved_on(session: LearnerSession) -> Expected:
    """Let a branch move on where a merge commit was asked."""
    session.carry_out(instead=merged_with("--ff"), at=next(merge_commits_only(session.key)))
    return expect(session, "history")


def nothing_taken(session: LearnerSession) -> Expected:
    """Merge with `-s ours`, which takes nothing of the other side, and look no further."""

    def instead(session: LearnerSession, task: Task) -> None:
        merged_with("-s", "ours")(session, task)
        raise StopsWorking

    session.carry_out(instead=instead)
    may_lose = "rules resolution rest" + (
        "" if hardest_task_number(session.key) == len(session.scenario.task) else " finished"
    )
    return expect(session, "delivered", may_lose, at_least_one=frozenset({"resolution", "rest"}))


def base_rebased(session: LearnerSession) -> Expected:
    """Rebase the new base onto the branch, the wrong way round."""
    session.carry_out(instead=rebased_the_base)
    expected = expect(
        session, "history bystanders", "resolution rest rules tidy markers finished delivered", or_open=True
    )
    # Where nothing was left of the base's own commits, there is no result at all.
    made = session.git("rev-parse", hardest_task(session.key).source).strip()
    return replace(expected, state="open") if made in session.key.commits else expected


def _get_ready(session: LearnerSession, task: Task) -> None:
    """Check the branch out, with what its task brings in fetched."""
    session.git("checkout", "-q", task.on)
    if is_on_remote(task.source):
        session.git("fetch", "-q")


def _as_solved(session: LearnerSession) -> None:
    """Make every unmerged path what the solution has there."""
    step = list(hardest_steps(session.key))[-1]
    session.put(step.solved, {*session.unmerged(), *step.clean_merge_fixes})


def wrong_way_round(session: LearnerSession, task: Task) -> None:
    """Merge the receiving branch into the other one."""
    session.git("checkout", "-q", task.source)
    session.try_git("merge", "-q", "--no-edit", task.on)
    step = next(hardest_steps(session.key))
    if step.merge.conflicts:
        solve(session, step)
        session.git("add", "--all")
        session.git("commit", "-q", "--no-edit")


def rebased(session: LearnerSession, task: Task) -> None:
    """Rebase where a merge was asked."""
    _get_ready(session, task)
    session.try_git("rebase", task.source)
    _replay_through(session)


def rebased_the_base(session: LearnerSession, task: Task) -> None:
    """The rebase the wrong way round itself."""
    session.git("checkout", "-q", task.source)
    session.try_git("rebase", task.on)
    _replay_through(session)


def _replay_through(session: LearnerSession) -> None:
    for _ in range(20):
        if not (session.gitdir / "rebase-merge").exists():
            return
        _as_solved(session)
        session.git("add", "--all")
        session.try_git("rebase", "--continue")


def merged_instead(session: LearnerSession, task: Task) -> None:
    """Merge where a rebase was asked."""
    _get_ready(session, task)
    session.try_git("merge", "-q", "--no-edit", task.source)
    _as_solved(session)
    session.git("add", "--all")
    session.try_git("commit", "-q", "--no-edit")


def pulls(word: str, session: LearnerSession) -> Expected:
    """`git pull` with a setting of `pull.rebase`, which may be what was asked or not."""
    task = hardest_task(session.key)
    as_asked = task.joins == (word == "false")

    def instead(session: LearnerSession, task: Task) -> None:
        session.git("checkout", "-q", task.on)
        branch = task.source.removeprefix(REMOTE)
        session.try_git("-c", f"pull.rebase={word}", "pull", "-q", "--no-edit", "origin", branch)
        if as_asked:
            session.go_through(hardest_task_number(session.key))
        elif word != "false":
            _replay_through(session)
        elif session.unmerged():
            _as_solved(session)
            session.git("add", "--all")
            session.git("commit", "-q", "--no-edit")

    session.carry_out(instead=instead)
    may_lose = "resolution rest rules bystanders delivered"
    return expect(session, "", "message") if as_asked else expect(session, "history", may_lose)


def can_pull(key: Key) -> bool:
    """Where the hardest task brings a branch of the remote in as a whole, as a pull does."""
    task = hardest_task(key)
    plain = asks_merge_commit(key) if task.joins else task.replays_own and not task.replays_always
    return plain and is_on_remote(task.source)


def merged_with(*options: str) -> Callable[[LearnerSession, Task], None]:
    """Merge with options that were not asked for."""

    def act(session: LearnerSession, task: Task) -> None:
        _get_ready(session, task)
        session.try_git("merge", "-q", "--no-edit", *options, task.source)
        if session.unmerged():
            solve(session, next(hardest_steps(session.key)))
            session.git("add", "--all")
        session.try_git("commit", "-q", "--no-edit")

    return act


def favours(word: str, session: LearnerSession) -> Expected:
    """`git merge -X`: no hunk is looked at."""
    session.carry_out(instead=merged_with("-X", word))
    for step in hardest_steps(session.key):
        for conflict in step.merge.conflicts:
            assert conflict.merged is not None  # noqa: S101 - it applies only then
            chosen = [lines_kept(hunk, word) for hunk in conflict.merged.hunks]
            session.note(step, conflict.path, conflict.merged, chosen)
    # Files that were merged cleanly and are wrong aren't looked at either.
    unmended = (
        "rest"
        if any(step.clean_merge_fixes and step.merge.conflicts for step in hardest_steps(session.key))
        else ""
    )
    return expect(session, unmended, f"rules {unmended}")


def copied(session: LearnerSession, task: Task) -> None:
    """Copy the right content by hand, without any merge."""
    session.git("checkout", "-q", task.on)
    step = next(hardest_steps(session.key))
    here = {path for path in session.git("ls-files", "-z").split("\0")[:-1] if path not in step.solved}
    session.put(step.solved, [*sorted(here), *step.solved])
    session.git("add", "--all")
    session.git("commit", "-q", "-m", "Bring the other work in")


def squashed_replay(session: LearnerSession) -> Expected:
    """Rebase, and make one commit of it."""
    session.carry_out()
    task = hardest_task(session.key)
    session.git("reset", "-q", "--soft", task.source)
    session.git("commit", "-q", "-m", "All my work")
    return expect(session, "history", "resolution rest delivered")


def on_older_base(session: LearnerSession) -> Expected:
    """Rebase onto an older commit than was asked."""

    def instead(session: LearnerSession, task: Task) -> None:
        _get_ready(session, task)
        session.try_git("rebase", f"{task.source}~1")
        _replay_through(session)

    session.carry_out(instead=instead)
    return expect(session, "history", "resolution rules rest delivered")


def taken_early(session: LearnerSession) -> Expected:
    """Take the other side's files before the merge, so that nothing conflicts any more."""

    def instead(session: LearnerSession, task: Task) -> None:
        _get_ready(session, task)
        step = next(hardest_steps(session.key))
        for conflict in step.merge.conflicts:
            blob = conflict.stages.get(STAGE["theirs"])
            session.write(
                conflict.path, session.key.texts[blob.id] if blob else None, blob.mode if blob else None
            )
        session.git("add", "--all")
        session.try_git("commit", "-q", "-m", "Take theirs")
        session.try_git("merge", "-q", "--no-edit", task.source)
        if session.pending:
            session.git("merge", "--abort")

    session.carry_out(instead=instead, mend=False)
    # What conflicts by its place alone does so all the same, and then nothing is merged at last.
    return expect(
        session, may_lose="resolution rest rules markers history delivered bystanders finished tidy"
    )
