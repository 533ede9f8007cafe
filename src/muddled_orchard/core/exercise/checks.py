"""Whether tasks, answers and start fit the story that they follow."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from unicodedata import category

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.arriving import misfits_of_arrivals
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.roles import misfits_of_roles
from muddled_orchard.core.exercise.scenario import MOST_SECONDS, Scenario
from muddled_orchard.core.exercise.task import MessageRules, Task
from muddled_orchard.core.exercise.tasks import example_message
from muddled_orchard.core.exercise.text_rules import Undecided, flaw_in
from muddled_orchard.core.git.commits import LONGEST_SUBJECT
from muddled_orchard.core.git.refs import on_remote
from muddled_orchard.core.git.trees import bad_path


def misfits(scenario: Scenario, history: History) -> Iterator[Problem]:
    """Everything about tasks, answers and the start that the story does not have."""
    for number, task in enumerate(scenario.task):
        yield from _of_branches(task, ("task", number), history)
        yield from task.misfits(("task", number), history)
        yield from _of_message(task, ("task", number, "message"))
        yield from _of_abort(scenario, number)
        if not scenario.start.own:
            yield from _of_delivery(scenario.task[number:], ("task", number), history)
    yield from misfits_of_arrivals(scenario)
    yield from misfits_of_roles(scenario)
    yield from _of_own(scenario)
    if scenario.start.own:
        yield from _of_own_start(scenario)
    if scenario.start.on is not None and scenario.start.on not in history.tips:
        yield _no_branch(scenario.start.on, history.tips, ("start", "on"))
    yield from _of_work(scenario, history)
    yield from _of_answers(scenario, history)
    yield from _of_commands(scenario)
    yield from _of_texts(scenario)


_LAYOUT = dict.fromkeys(map(ord, "\n\t\r"))


def _of_texts(scenario: Scenario) -> Iterator[Problem]:
    """Control characters in what people read: a terminal would obey them."""
    texts: list[tuple[KeyPath, str]] = [(("title",), scenario.title), (("brief",), scenario.brief)]
    texts += [(("answer", number, "why"), answer.why) for number, answer in enumerate(scenario.answer)]
    texts += [(("rule", number, "why"), rule.why) for number, rule in enumerate(scenario.rule)]
    for number, role in enumerate(scenario.role):
        texts += [(("role", number, "name"), role.name), (("role", number, "brief"), role.brief)]
    for key, text in texts:
        if text.translate(_LAYOUT).isprintable():
            continue  # nearly every text: a look at each letter takes long
        if found := next((one for one in text if category(one) == "Cc" and one not in "\n\t\r"), None):
            yield Problem(f"there is a control character in it (U+{ord(found):04X})", "Take it out.", key)


def _no_branch(name: str, there: Iterable[str], key: KeyPath) -> Problem:
    return Problem(f'there is no branch "{name}"', likely(name, there), key)


def _of_own(scenario: Scenario) -> Iterator[Problem]:
    """About a conflict that learners make: it is read in all that they did, and so stands alone."""
    own = next((number for number, task in enumerate(scenario.task) if task.makes_own), None)
    if own is not None and len(scenario.task) > 1:
        what = f"{scenario.task[own].do} must be the only task: any conflict that is met counts for it"
        hint = "Leave the other tasks to another exercise; conflicts = 2 asks for two."
        yield Problem(what, hint, ("task", own, "do"))


def _of_own_start(scenario: Scenario) -> Iterator[Problem]:
    """About a repository that learners make themselves: nothing is handed out, and the story is an example of
    how somebody could begin."""
    if not scenario.makes_own:
        what = "own = true goes with a task in which the learner makes the conflict"
        yield Problem(what, 'Ask for do = "own-conflict", or leave own out.', ("start", "own"))
    for name in ("on", "stopped", "write", "stage", "config"):
        if getattr(scenario.start, name):
            what = f"nothing is handed out that could have {name}"
            yield Problem(what, f"Leave {name} out, or own.", ("start", name))
    for number, task in enumerate(scenario.task):
        for name in ("push", "delete"):
            if getattr(task, name):
                what = f"nothing is handed out, so there is nothing to {name}"
                yield Problem(what, f"Leave {name} out, or own of [start].", ("task", number, name))
    first = scenario.story[0].on
    for number, entry in enumerate(scenario.story):
        place: KeyPath = ("story", number)
        for name in ("merge", "publish", "stash"):
            if getattr(entry, name):
                what = f"the example of how to begin can't have {name}"
                yield Problem(what, "Let it be commits on one branch.", (*place, name))
        if entry.on != first:
            what = f"the example of how to begin is on one branch, {first}"
            yield Problem(what, "What parts is made by the learner.", (*place, "on"))
        if CLAIM in {*entry.write, *entry.remove, *entry.rename, *entry.link, *entry.binary}:
            what = f"{CLAIM} is the file that says whose work it is"
            yield Problem(what, "Name another file.", place)


def _of_branches(task: Task, key: KeyPath, history: History) -> Iterator[Problem]:
    branches = [*history.tips, *(on_remote(name) for name in history.remote)]
    if task.on not in history.tips:
        yield _no_branch(task.on, history.tips, (*key, "on"))
    if task.source and task.source not in branches:
        yield _no_branch(task.source, branches, (*key, task.source_key))
    if task.source and task.source == task.on:
        yield Problem(f"{task.on} can't be brought into itself", key=(*key, task.source_key))


def _of_abort(scenario: Scenario, number: int) -> Iterator[Problem]:
    """About an operation that is to be given up again: nothing comes of it that more could be asked of."""
    task = scenario.task[number]
    if not task.abort:
        return
    if not task.leaves_commits:
        yield Problem(f"{task.do} can't be given up", "Leave abort out.", ("task", number, "abort"))
    for key in ("push", "delete", "message"):
        if getattr(task, key):
            what = f"{key} asks for more of what is to be given up"
            yield Problem(what, f"Leave {key} out, or abort.", ("task", number, key))
    for place, answer in enumerate(scenario.answer):
        if answer.task == number + 1:
            what = f"task {answer.task} is to be given up, so no answer is wanted there"
            yield Problem(what, "Leave this answer out, or abort.", ("answer", place, "task"))


def _of_message(task: Task, key: KeyPath) -> Iterator[Problem]:
    if task.message is None:
        return
    if not task.leaves_commits:
        yield Problem(f"{task.do} makes no commit that could say anything", "Leave message out.", key)
    example = example_message(task)
    if example is not None and len(example.split("\n", 1)[0]) > LONGEST_SUBJECT:
        what = f"the first line of the example has more than {LONGEST_SUBJECT} letters, which costs half"
        yield Problem(what, "Say it more briefly, and the rest below an empty line.", key)
    if example is not None and isinstance(task.message, MessageRules):
        with suppress(Undecided):
            if (flaw := flaw_in(task.message, example, "it")) is not None:
                what = f'the example "{brief(example)}" does not hold these rules: {flaw}'
                yield Problem(what, "Add text = an example of a message that does.", key)


def _of_delivery(tasks: Sequence[Task], key: KeyPath, history: History) -> Iterator[Problem]:
    """About what the first of these tasks pushes and deletes."""
    task = tasks[0]
    if task.push and not history.remote:
        yield Problem("there is no remote to push to", "Give a story entry publish.", (*key, "push"))
    if task.delete is None:
        return
    if task.delete not in history.tips:
        yield _no_branch(task.delete, history.tips, (*key, "delete"))
    if needed := _needed(task.delete, tasks):
        what = f'the branch "{task.delete}" can\'t be deleted: {needed}'
        yield Problem(what, "Delete another one, or in a later task.", (*key, "delete"))


def _of_work(scenario: Scenario, history: History) -> Iterator[Problem]:
    """About work that is not committed at the start."""
    start = scenario.start
    if start.work and start.stopped:
        what = "work that is not committed goes with an operation that is not begun"
        yield Problem(what, "Leave stopped out, or write and stage.", ("start", "stopped"))
    at = history.tips.get(history.checked_out)
    tree = history.commits[at].tree if at is not None else {}
    for name in ("stage", "write"):
        for path, text in getattr(start, name).items():
            key: KeyPath = ("start", name, path)
            if complaint := bad_path(path):
                yield Problem(f'"{path}" is no path for a file here: {complaint}', key=key)
            elif path in tree and tree[path].data == text.encode():
                what = f"{path} is committed like that on {history.checked_out} already"
                yield Problem(what, "Change something in it.", key)


def _of_commands(scenario: Scenario) -> Iterator[Problem]:
    """About the commands of rules: the files that are laid over a result, and the time of all of them."""
    for number, rule in enumerate(scenario.rule):
        for path in rule.with_:
            if complaint := bad_path(path):
                what = f'"{path}" is no path for a file here: {complaint}'
                yield Problem(what, key=("rule", number, "with", path))
    together = sum(rule.seconds for rule in scenario.rule if rule.runs is not None)
    if together > MOST_SECONDS:
        what = f"the commands of all rules may take {together:g} s together, more than {MOST_SECONDS}"
        yield Problem(what, "Give them fewer seconds.", ("rule",))


def _of_answers(scenario: Scenario, history: History) -> Iterator[Problem]:
    labels = [commit.label for commit in history.commits if commit.label]
    for number, answer in enumerate(scenario.answer):
        if answer.task is not None and not 1 <= answer.task <= len(scenario.task):
            yield Problem(
                f"there is no task {answer.task}",
                f"Tasks are numbered from 1 to {len(scenario.task)}.",
                ("answer", number, "task"),
            )
        if answer.commit is not None and answer.commit not in labels:
            hint = likely(answer.commit, labels)
            yield Problem(f'no commit is labelled "{answer.commit}"', hint, ("answer", number, "commit"))


def _needed(branch: str, tasks: Sequence[Task]) -> str:
    """Why a branch is still needed when the first of these tasks is done, or nothing."""
    if tasks[0].on == branch:
        return "it receives the result"
    later = any(branch in (task.on, task.source) for task in tasks[1:])
    return "a later task needs it" if later else ""
