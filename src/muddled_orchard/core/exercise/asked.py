"""What a hand-out asks its learner to do, as data that goes with it.

It says no more than the brief: operations, branches, commits. It knows no answers."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field
from msgspec.structs import replace

from muddled_orchard.core.exercise.arriving import pushes_first
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.roles import names_of_roles
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.git.refs import on_remote

ASKED = "muddled/asked.json"
"""Where it lies in a repository's `.git`."""

ASKED_TAG = "refs/tags/muddled-asked"
"""The tag of a repository on a server that names the same as a blob: clones fetch it."""


class AskedCommit(Struct, frozen=True, kw_only=True):
    """A commit that a task names: its id, author (`Name <address>`) and subject."""

    id: str
    author: str
    subject: str


class Asked(Struct, frozen=True, kw_only=True):
    """The tasks in order, the commits that they name by label, where the branches stood at first (those of
    the remote as `origin/NAME`), what only those branches had that are to be rewritten, how much was in the
    stash, the files with work that is not committed, and the step of the walkthrough at which it was handed
    out, with the id of the work that stood there (nothing where that is its beginning). `refused`: the
    branches of the remote to which a teammate pushes first. `roles`: what the roles are called whose tasks
    they are."""

    exercise: str
    tasks: tuple[Task, ...]
    commits: Mapping[str, AskedCommit] = field(default_factory=dict)
    tips: Mapping[str, str] = field(default_factory=dict)
    rewritten: tuple[AskedCommit, ...] = ()
    stashes: int = 0
    work: tuple[str, ...] = ()
    at: str = ""
    given: str = ""
    refused: tuple[str, ...] = ()
    roles: tuple[str, ...] = ()

    @property
    def begins_with_nothing(self) -> bool:
        """Whether no branch was handed out: learners begin with `git init`."""
        return not self.tips and bool(self.tasks)


def asked_by(scenario: Scenario, history: History, ids: Mapping[int, str]) -> Asked:
    """What a variant asks; `ids` are the commits' ids by place in the story."""
    labels = dict.fromkeys(label for task in scenario.task for label in task.labels)
    names = {label: str(number) for number, label in enumerate(labels, start=1)}
    commits = {}
    for label, name in names.items():
        commits[name] = _asked_commit(history, history.labelled(label), ids)
    # Where learners begin with `git init`, no branch is known beforehand.
    handed_out = {} if scenario.start.own else history.tips
    tips = {name: ids[number] for name, number in handed_out.items()}
    tips |= {on_remote(name): ids[number] for name, number in history.remote.items()}
    stashes = len(history.stashes)
    # What a message must hold may be a part of the answer; that another one is wanted is none.
    said = [task.message if task.message in (None, "proposed") else "own" for task in scenario.task]
    tasks = tuple(
        replace(task.without_answers(), message=words).relabelled(names)
        for task, words in zip(scenario.task, said, strict=True)
    )
    return Asked(
        exercise=scenario.id,
        tasks=tasks,
        commits=commits,
        tips=tips,
        rewritten=tuple(_asked_commit(history, place, ids) for place in _rewritten(scenario, history)),
        stashes=stashes,
        work=tuple(sorted(scenario.start.work)),
        refused=tuple(
            task.source
            for number, task in enumerate(scenario.task, start=1)
            if history.commits and pushes_first(scenario, history, number)
        ),
        roles=names_of_roles(scenario),
    )


def _asked_commit(history: History, number: int, ids: Mapping[int, str]) -> AskedCommit:
    commit = history.commits[number]
    subject = commit.message.split("\n", 1)[0]
    return AskedCommit(id=ids[number], author=str(commit.author), subject=subject)


def _rewritten(scenario: Scenario, history: History) -> list[int]:
    """The places of the commits that only the branches have that are to be rewritten, in order. They are told
    only where one of their replays could be taken for something else that is asked: a squash, or a commit of
    the work that was handed out."""
    if not scenario.start.work and not any(task.squash for task in scenario.task):
        return []
    branches = {task.on for task in scenario.task if task.rewrites_branch}
    found: set[int] = set()
    for branch in branches & set(history.tips):
        found |= history.ancestors(history.tips[branch])
    for branch, tip in [*history.tips.items(), *history.remote.items()]:
        found -= history.ancestors(tip) if branch not in branches else set()
    return sorted(found)


def told_to_learners(task: Task, subjects: Mapping[str, str]) -> str:
    """What a task asks, in words for learners: commits by what they say, since labels are their author's own.
    The list of an interactive rebase and what a message must hold are theirs to find, or in the brief."""
    rules = task.message not in (None, "own", "proposed")
    # An operation without a list has no such field.
    plain = replace(task, **({"todo": None} if task.todo else {}), message=None if rules else task.message)
    words = in_words(plain.relabelled({label: f'"{subject}"' for label, subject in subjects.items()}))
    words += ", with a message as the brief asks" if rules else ""
    return words + (", with its list as the brief asks" if task.todo is not None else "")
