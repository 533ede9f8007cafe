"""Tasks of which nothing could be seen: what they leave is nothing, or a later one takes it away."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.delivering import FORCE, push_of
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import asks_for_commit, in_words
from muddled_orchard.core.exercise.todo import todo_of
from muddled_orchard.core.git.commits import ancestors, contains
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.key.answer_key import Key, Step


def unseen_tasks(key: Key) -> Iterator[Problem]:
    """What is wrong with tasks that come to nothing when they are solved by the key, with those whose result
    a later one replaces or that are in each other's way, and with messages that nobody is asked for."""
    for number, task in enumerate(key.scenario.task, start=1):
        where: KeyPath = ("task", number - 1)
        steps = [step for step in key.steps if step.task == number]
        if task.abort or task.makes_own:
            continue
        as_it_was = task.todo is not None and _is_as_it_was(key, task, steps)
        if as_it_was or not any(_leaves_something(key, step) for step in steps):
            what = f"{_called(number, task)} leaves nothing new: it is there already, or decided against"
            yield Problem(what, "Leave it out, or have something of it kept.", where)
            continue
        yield from _of_message(number, task, steps, where)
        yield from _of_push(key, number, task, where)
        yield from _of_work(key, number, task, where)
        yield from _of_picks(key, number, task, steps, where)
        yield from _with_others(key, number, task, steps, where)


def _called(number: int, task: Task) -> str:
    return f"task {number} ({in_words(task)})"


def _leaves_something(key: Key, step: Step) -> bool:
    if step.makes_no_commit:
        return True
    if step.operation.joins:
        there = contains(key.commits, step.ours, step.theirs)
        return not there and not (step.operation.squash and step.becomes_empty(key.commits))
    if step.operation.replays_own:
        return step.base != step.ours or not step.becomes_empty(key.commits)
    return not step.becomes_empty(key.commits)


def _is_as_it_was(key: Key, task: Task, steps: Sequence[Step]) -> bool:
    """Whether a list picks all commits in their order, on the base that they stand on already."""
    items = todo_of(task)
    places = [key.history.labelled(item.label) for item in items]
    plain = all(item.word == "pick" for item in items) and places == sorted(places)
    return plain and steps[0].base == steps[0].ours


def _of_message(number: int, task: Task, steps: Sequence[Step], where: KeyPath) -> Iterator[Problem]:
    """Messages of commits that there are not, or that Git makes without stopping."""
    if task.message is None:
        return
    if steps[0].fast_forward and not asks_for_commit(task):
        what = f"{_called(number, task)} only moves the branch on, so no commit of it could say anything"
        yield Problem(what, 'Leave message out, or add fast_forward = "never".', (*where, "message"))
    quiet = len(steps) > 1 and not any(step.merge.conflicts for step in steps)
    if task.message != "proposed" and not task.joins and quiet:
        what = f"Git makes the {len(steps)} commits of {_called(number, task)} without asking what they say"
        yield Problem(
            what, "Ask for the message of one commit, or of one that conflicts.", (*where, "message")
        )


def _of_push(key: Key, number: int, task: Task, where: KeyPath) -> Iterator[Problem]:
    """A push that is refused, since somebody has pushed what the branch does not have then."""
    push, place = push_of(key.scenario.task, number, key.history.remote), key.history.remote.get(task.on)
    if push is None or place is None:
        return
    if FORCE in push:
        stale = key.history.tracked.get(task.on) != place
    else:
        own = [step for step in key.steps if step.task <= number and step.operation.on == task.on]
        brought = [side for step in own for side in (step.ours, step.theirs)]
        there = key.ids[place]
        stale = not any(
            contains(key.commits, id_, there) for id_ in (*brought, key.refs[branch_ref(task.on)])
        )
    if stale:
        what = f"the push of {_called(number, task)} is refused: origin has what {task.on} lacks"
        yield Problem(what, "Ask for a pull, or a merge of origin's branch, before.", (*where, "push"))


def _of_work(key: Key, number: int, task: Task, where: KeyPath) -> Iterator[Problem]:
    """Work that is handed out uncommitted where the task would take it away."""
    if not key.scenario.start.work or key.history.checked_out != task.on:
        return
    if task.todo is not None:
        what = f"the list of {_called(number, task)} has no place for the work that was handed out there"
        yield Problem(what, "Hand it out on another branch (start.on).", where)
    if task.replays_own and task.message not in (None, "proposed"):
        what = f"{_called(number, task)} replays a commit of the work that was handed out there, too"
        yield Problem(what, "Leave message out, or hand it out on another branch (start.on).", where)
    if task.sets_back:
        what = f"{_called(number, task)} throws away the work that was handed out there uncommitted"
        yield Problem(what, "Hand it out on another branch (start.on).", where)


def _of_picks(key: Key, number: int, task: Task, steps: Sequence[Step], where: KeyPath) -> Iterator[Problem]:
    """Commits that are there already, and those that were to have others as a part and become empty."""
    if task.adds_commits and task.keeps_commits:
        there = [step for step in steps if step.commit and contains(key.commits, step.ours, step.commit)]
        for step in there[:1]:
            subject = key.commits[step.commit or ""].subject
            what = f'{_called(number, task)}: "{subject}" is in {task.on} already when it comes to that'
            yield Problem(what, "Leave it out.", where)
    leads = {step.into for step in steps if step.into}
    for step in steps:
        if step.commit in leads and step.becomes_empty(key.commits):
            subject = key.commits[step.commit or ""].subject
            what = f'{_called(number, task)}: nothing is left of "{subject}", which others become a part of'
            yield Problem(what, "Keep something of it, or list it otherwise.", where)


def _carried_to(tasks: Sequence[Task]) -> set[str]:
    """The branches that have what the first of some tasks makes, when all of them are done."""
    branches = {tasks[0].on}
    for task in tasks[1:]:
        if (task.joins or task.replays_own) and task.source in branches and not task.abort:
            branches.add(task.on)
    return branches


def _with_others(
    key: Key, number: int, task: Task, steps: Sequence[Step], where: KeyPath
) -> Iterator[Problem]:
    """Earlier and later tasks on the same branch that it can't be told from."""
    later = [step for step in key.steps if step.task > number and step.operation.on == task.on]
    taken_out = {step.commit for step in steps if step.commit} if task.replays_own else set()
    if task.sets_back:
        taken_out = ancestors(key.commits, steps[0].ours) - ancestors(key.commits, steps[0].theirs)
    if taken_out & ancestors(key.commits, *(step.theirs for step in later)):
        what = f"a later task brings back what {_called(number, task)} takes out of its branch"
        yield Problem(what, "Leave the one or the other out.", where)
    beside = [other for other in key.scenario.task if other.on == task.on and other.squash]
    if task.message not in (None, "proposed") and task.adds_commits and beside:
        what = f"nothing tells the commit of {_called(number, task)} from the squashed one on that branch"
        yield Problem(what, "Leave message out, or put one of them on another branch.", (*where, "message"))
    for earlier, other in enumerate(key.scenario.task[: number - 1], start=1):
        there = task.on in _carried_to(key.scenario.task[earlier - 1 : number - 1])
        again = task.do == other.do and there and {*task.labels} & {*other.labels}
        if again and task.adds_commits and not other.abort:
            what = f"nothing tells what {_called(number, task)} makes from what task {earlier} makes"
            yield Problem(what, f"Ask for {listed(sorted(again))} once.", where)
    if not task.rewrites_branch:
        return
    for earlier, other in enumerate(key.scenario.task[: number - 1], start=1):
        if other.on == task.on and not other.abort and not other.stays_uncommitted:
            how = "sets that branch back" if task.sets_back else "replays that branch"
            what = f"{_called(number, task)} {how}, so what task {earlier} left there can't be seen any more"
            yield Problem(what, "Put it before, or on another branch.", where)
            break
