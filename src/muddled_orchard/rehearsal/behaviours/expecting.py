"""To which exercises a behaviour applies, and what must come of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec.structs import replace

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.git.refs import BRANCHES, is_on_remote
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.rehearsal.session import (
    LearnerSession,
    asks_merge_commit,
    hardest_steps,
    hardest_task_number,
    hunks_of,
)

Act = Callable[[LearnerSession], Expected]
Applies = Callable[[Key], bool]


def always(_: Key) -> bool:
    """To every exercise."""
    return True


def has_hunks(key: Key) -> bool:
    """Where at least one text conflicts."""
    return any(hunks_of(key))


def conflicts(key: Key) -> bool:
    """Where anything conflicts."""
    return any(step.merge.conflicts for step in key.steps)


def hardest_task_does(*operations: str) -> Applies:
    """Where the hardest task is one of these operations."""
    return lambda key: hardest_task(key).do in operations


def begins_hardest_task(key: Key) -> bool:
    """Where the hardest task is begun by the learner, and really brings two lines of history together."""
    begun = key.scenario.start.stopped and hardest_task_number(key) == 1
    return not begun and any(not step.fast_forward and makes_commit(step) for step in hardest_steps(key))


def makes_commit(step: Step) -> bool:
    """Whether a new commit is to come of a step."""
    return not step.makes_no_commit


def is_plain_merge(key: Key) -> bool:
    """Where the hardest task is a merge that ends in a merge commit, and begun by the learner."""
    task = hardest_task(key)
    return task.do == "merge" and not task.squash and begins_hardest_task(key) and asks_merge_commit(key)


def is_replay(key: Key) -> bool:
    """Where the hardest task and is begun by the learner."""
    return hardest_task(key).replays_own and begins_hardest_task(key)


def both(*tests: Applies) -> Applies:
    """Where all of these hold."""
    return lambda key: all(test(key) for test in tests)


def hardest_task(key: Key) -> Task:
    """The task at which most goes wrong."""
    return key.scenario.task[hardest_task_number(key) - 1]


def last_step(key: Key) -> Step:
    """The last step that conflicts."""
    return [step for step in key.steps if step.merge.conflicts][-1]


def can_abort(key: Key) -> bool:
    """Where the first task stops at a conflict."""
    return any(step.merge.conflicts for step in key.steps if step.task == 1)


def can_begin_again(key: Key) -> bool:
    """Where it is the learner who begins that."""
    return can_abort(key) and not key.scenario.start.stopped


def is_finished_by_staging(key: Key) -> bool:
    """Where nothing needs to be committed after the last conflict."""
    return conflicts(key) and last_step(key).operation.stays_uncommitted


def to_deliver(key: Key) -> bool:
    """Where something is to be pushed or deleted."""
    return any(task.push or task.delete for task in key.scenario.task)


def is_local(key: Key) -> bool:
    """Where the hardest task brings in a branch of the repository itself."""
    return not is_on_remote(hardest_task(key).source)


def starts_unfetched(key: Key) -> bool:
    """Where the first task merges what has to be fetched first."""
    task = key.scenario.task[0]
    return task.do == "merge" and is_on_remote(task.source)


def is_emptied(key: Key, step: Step) -> bool:
    """Whether nothing new is left of a step that is solved by the key."""
    return step.becomes_empty(key.commits)


def takes_something(key: Key) -> bool:
    """Where the solution is not just what the receiving branch had."""
    return all(not is_emptied(key, step) for step in hardest_steps(key))


def only_hunks(key: Key) -> bool:
    """Where everything that conflicts in the hardest task is text."""
    met = [conflict for step in hardest_steps(key) for conflict in step.merge.conflicts]
    return bool(met) and all(conflict.merged for conflict in met)


def has_mends(key: Key) -> bool:
    """Where something merges cleanly and is wrong."""
    return any(step.clean_merge_fixes for step in key.steps)


def merge_commits_only(key: Key) -> Iterator[int]:
    """The tasks in which a fast-forward is possible and not wanted, by number."""
    for step in key.steps:
        if step.fast_forward and step.operation.fast_forward == "never":
            yield step.task


def wants_merge_commit_only(key: Key) -> bool:
    """Where there is such a task."""
    return any(merge_commits_only(key))


def replays_several(key: Key) -> bool:
    """Where a replay leaves more than one commit."""
    left = sum(not is_emptied(key, step) for step in hardest_steps(key))
    return is_replay(key) and left > 1


def left_alone(key: Key) -> Iterator[str]:
    """The handed-out branches that no task is about."""
    busy = {task.on for task in key.scenario.task} | {task.delete for task in key.scenario.task}
    for ref in key.refs:
        name = ref.removeprefix(BRANCHES)
        if ref.startswith(BRANCHES) and name not in busy:
            yield name


def has_bystanders(key: Key) -> bool:
    """Where there are such branches."""
    return any(left_alone(key))


UNTOUCHED = Expected(state="untouched")
CONTENT = frozenset({"resolution", "rest", "rules"})


def expect(session: LearnerSession, must_lose: str = "", may_lose: str = "", **more: object) -> Expected:
    """What must come of what was done in a session, criteria as words of a text.

    Files that were resolved as the key does not accept cost `resolution`, and may break rules. Who ended
    where they began has done nothing.
    """
    if as_handed_out(session):
        return UNTOUCHED
    log = session.log
    losing, perhaps = set(must_lose.split()), set(may_lose.split())
    if log.wrong:
        losing.add("resolution")
        perhaps.add("rules")
    if log.deviated:
        perhaps |= CONTENT
    if log.emptied and (
        log.wrong or log.deviated
    ):  # of a commit whose change was thrown away nothing is left to replay
        perhaps |= {"history", "delivered"}
        # What was to become a part of it becomes a part of the one before.
        perhaps |= {"rest"} if any(step.into for step in session.key.steps) else set()
    if log.perhaps_outside and log.wrong:
        perhaps.add("rest")
    if hardest_task_number(session.key) < len(session.scenario.task) and losing:
        perhaps |= {"finished", "history", "delivered", "bystanders", "tidy"}
    again = brought_again(session.key)
    if again:  # a later task brings in what this one was to bring
        perhaps |= (losing - {"resolution"}) | {"rest"}
        losing &= {"resolution"}
    if not to_deliver(session.key):
        losing.discard("delivered")
    if any(task.message is not None for task in session.scenario.task):
        perhaps.add("message")  # who errs elsewhere writes what they like
    some = {"resolution", "rest"} if log.outside else set()
    if log.outside:
        perhaps.add("rules")
    expected = Expected(
        must_lose=frozenset(losing),
        may_lose=frozenset(perhaps),
        at_least_one=frozenset(some),
        kept=tuple(log.kept),
    )
    return replace(expected, **{"or_open": again or _only_deleted(session), **more})


def as_handed_out(session: LearnerSession) -> bool:
    """Whether every branch stands where it stood, and nothing is pending or changed."""
    refs = _heads(session)
    heads = {ref: tip for ref, tip in session.key.refs.items() if ref.startswith(BRANCHES)}
    # Whether a stash that was dropped is missed can't be seen in any of that.
    stashed = bool(session.key.history.stashes)
    clean = "nothing to commit" in session.git("status") and not session.pending
    return refs == heads and not stashed and clean and session.git("branch", "--show-current") != ""


def brought_again(key: Key) -> bool:
    """Where a later task merges a branch that has in it what the hardest task is to bring in."""
    number = hardest_task_number(key)
    tips = {step.task: step.theirs for step in key.steps}
    own = tips.get(number)
    return own is not None and any(
        contains(key.commits, theirs, own) for task, theirs in tips.items() if task > number
    )


def _heads(session: LearnerSession) -> dict[str, str]:
    return {ref: id_ for id_, ref in map(str.split, session.git("show-ref", "--heads").splitlines())}


def _only_deleted(session: LearnerSession) -> bool:
    """Whether nothing but this was done: branches are gone that were to be deleted."""
    heads = {ref: tip for ref, tip in session.key.refs.items() if ref.startswith(BRANCHES)}
    clean = "nothing to commit" in session.git("status")
    return _heads(session).items() < heads.items() and clean and not session.key.history.stashes


def unfinished(session: LearnerSession, must_lose: str = "", may_lose: str = "") -> Expected:
    """The same for what was left before its end."""
    undone = "finished tidy" if hardest_task(session.key).stays_uncommitted else "finished history"
    return expect(session, f"{undone} delivered {must_lose}", f"rules {may_lose}", state="open")
