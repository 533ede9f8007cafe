"""Do the tasks fit the story that they follow?"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario, Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.refs import on_remote


def source_of(task: Task) -> str | None:
    """The branch that an operation brings in or goes onto; of the remote with `origin/`."""
    return on_remote(task.from_) if task.do == "pull" else task.bring or task.onto


def is_merge(task: Task) -> bool:
    """Whether a task is one meeting of two branches, and not a replay of commits."""
    return task.do == "merge" or (task.do == "pull" and task.by == "merge")


def is_rebase(task: Task) -> bool:
    """Whether a task replays a branch on a new base, perhaps as a part of a pull."""
    return task.do == "rebase" or (task.do == "pull" and task.by == "rebase")


def git_labels(task: Task, replayed: Commit | None = None, *, turned: bool = False) -> tuple[str, str]:
    """What Git calls ours and theirs, behind markers and in the names of files that it sets aside.

    `replayed` is the commit at hand; `turned`: it was merged the wrong way round.
    """
    if task.do == "stash-pop":
        return "Updated upstream", "Stashed changes"
    if replayed is None:
        return "HEAD", (task.on if turned else source_of(task)) or ""
    said = f"{replayed.id[:7]} ({replayed.subject})"
    return "HEAD", f"parent of {said}" if task.do == "revert" else said


def side_names(task: Task, replayed: str | None = None) -> tuple[str, str]:
    """Who ours and theirs are in an operation, for people; `replayed` is the subject of the commit at hand.

    They are what Git means by them: in a rebase ours is the new base and theirs the learner's own commit.
    """
    source = source_of(task)
    commit = f'"{replayed}"'
    if is_rebase(task):
        return f"ours ({source}, the new base)", f"theirs (your commit {commit})"
    if task.do == "cherry-pick":
        return f"ours ({task.on})", f"theirs (the picked commit {commit})"
    if task.do == "revert":
        return f"ours ({task.on})", f"theirs (before {commit})"
    if task.do == "stash-pop":
        return f"ours ({task.on})", "theirs (your stashed work)"
    return f"ours ({task.on})", f"theirs ({source})"


def in_words(task: Task, name: Callable[[str], str] = str) -> str:
    """What is asked, in a few words: `merge night-shift into main`. `name` writes a branch's name."""
    on, source = name(task.on), name(source_of(task) or "")
    said = {
        "merge": f"merge {source} into {on}",
        "rebase": f"rebase {on} onto {source}",
        "cherry-pick": f"cherry-pick {listed(task.pick or ())} onto {on}",
        "revert": f"revert {task.undo} on {on}",
        "pull": f"pull {source} into {on}, by {task.by}",
        "stash-pop": f"pop the stash on {on}",
    }[task.do]
    if task.squash:
        said += ", squashed"
    if task.fast_forward in ("never", "only"):
        said += ", with a merge commit" if task.fast_forward == "never" else ", by fast-forward"
    said += f", delete {name(task.delete)}" if task.delete else ""
    return said + (", push" if task.push else "")


def task_misfits(scenario: Scenario, history: History) -> Iterator[Problem]:
    """Everything about tasks, answers and the start that the story does not have."""
    labels = [commit.label for commit in history.commits if commit.label]
    branches = [*history.tips, *(on_remote(name) for name in history.remote)]
    for number, task in enumerate(scenario.task):
        key: KeyPath = ("task", number)
        if task.on not in history.tips:
            yield Problem(f'there is no branch "{task.on}"', likely(task.on, history.tips), (*key, "on"))
        source = source_of(task)
        named = next((name for name in ("bring", "onto", "from") if _has(task, name)), "from")
        if source is not None and source not in branches:
            yield Problem(f'there is no branch "{source}"', likely(source, branches), (*key, named))
        if source == task.on:
            yield Problem(f"{task.on} can't be brought into itself", key=(*key, named))
        for place, label in enumerate(task.pick or ()):
            if label not in labels:
                yield Problem(
                    f'no commit is labelled "{label}"', likely(label, labels), (*key, "pick", place)
                )
        if task.undo is not None and task.undo not in labels:
            yield Problem(f'no commit is labelled "{task.undo}"', likely(task.undo, labels), (*key, "undo"))
        if task.do == "stash-pop" and not history.stashes:
            yield Problem("nothing is in the stash", "Give a story entry stash = true.", key)
        if task.push and not history.remote:
            yield Problem("there is no remote to push to", "Give a story entry publish.", (*key, "push"))
        if task.delete is not None and task.delete not in history.tips:
            hint = likely(task.delete, history.tips)
            yield Problem(f'there is no branch "{task.delete}"', hint, (*key, "delete"))
        if task.delete is not None and (needed := _needed(task.delete, scenario.task[number:])):
            what = f'the branch "{task.delete}" can\'t be deleted: {needed}'
            yield Problem(what, "Delete another one, or in a later task.", (*key, "delete"))
    if scenario.start.on is not None and scenario.start.on not in history.tips:
        hint = likely(scenario.start.on, history.tips)
        yield Problem(f'there is no branch "{scenario.start.on}"', hint, ("start", "on"))
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
    later = any(branch in (task.on, task.bring, task.onto) for task in tasks[1:])
    return "a later task needs it" if later else ""


def _has(task: Task, key: str) -> bool:
    return getattr(task, "from_" if key == "from" else key) is not None
