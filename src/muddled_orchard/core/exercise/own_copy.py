"""The commands around an exercise: how a learner gets it, pushes it, and has it once more as it was.

Each is one that works in every shell, PowerShell included: nothing is chained.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from muddled_orchard.core.base.phrases import command
from muddled_orchard.core.exercise.cloning import beyond_a_clone
from muddled_orchard.core.exercise.delivering import FORCE
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.steps import to_give_up, under_way_of
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.under_way import UNDER_WAY


class BeginAgain(Struct, frozen=True):
    """How the handed-out state is had again in the same repository: what gives up each operation that may be
    under way, and where each branch stood, that which was checked out first. Without branches only a new copy
    has it. `own`: there may be branches that the learner was to make; `from_nothing`: the learner made all of
    the repository; `remade`: the first branch may be gone, since a task asks for that."""

    give_up: tuple[str, ...]
    branches: tuple[tuple[str, str], ...]
    own: bool = False
    from_nothing: bool = False
    remade: bool = False

    @property
    def commands(self) -> tuple[str, ...]:
        """What sets the branches back."""
        (head, at), *others = self.branches
        first: tuple[str, ...] = (
            command("git", "checkout", "-f", head),
            command("git", "reset", "--hard", at),
        )
        if self.remade:
            first = (command("git", "checkout", "-f", "-B", head, at),)
        return (*first, *(command("git", "branch", "-f", branch, id_) for branch, id_ in others))


def begin_again(scenario: Scenario, history: History, ids: Mapping[int, str]) -> BeginAgain:
    """How to begin an exercise again; `ids` are the commits' ids by place in the story."""
    if not history.commits:
        return BeginAgain((), (), from_nothing=True)
    if beyond_a_clone(scenario, history):
        return BeginAgain((), ())
    give_up = dict.fromkeys(
        command("git", *to_give_up(task)[0]) for task in scenario.task if under_way_of(task) in UNDER_WAY
    )
    touched = {branch for task in scenario.task for branch in (task.on, task.delete) if branch}
    others = [branch for branch in history.tips if branch in touched - {history.checked_out}]
    back = [(branch, short(ids[history.tips[branch]])) for branch in (history.checked_out, *others)]
    remade = any(task.delete == history.checked_out for task in scenario.task)
    return BeginAgain(tuple(give_up), tuple(back), scenario.makes_own, remade=remade)


def clone_commands(
    history: History, url: str, folder: str, config: Mapping[str, str] | None = None
) -> tuple[str, ...]:
    """Clone a repository into a folder, with every branch and setting that was handed out, and go there."""
    others = [branch for branch in history.tips if branch != history.checked_out]
    # A remote of the exercise's own may have another branch checked out: Git deletes none that is.
    named = ("--branch", history.checked_out) if history.remote else ()
    found = [command("git", "clone", *named, url, folder)]
    if others:
        wanted = (f"{branch}:{branch}" for branch in others)
        found.append(command("git", "-C", folder, "fetch", "origin", *wanted))
    found += [command("git", "-C", folder, "config", *setting) for setting in (config or {}).items()]
    return (*found, command("cd", folder))


def init_commands(branch: str, url: str, folder: str) -> tuple[str, ...]:
    """Make a repository in a folder whose remote is at `url`, and go there; the tag that `peek` reads is
    fetched."""
    return (
        command("git", "init", "-b", branch, folder),
        command("cd", folder),
        command("git", "remote", "add", "origin", url),
        command("git", "fetch", "--tags", "origin"),
    )


def branches_to_push(scenario: Scenario) -> Sequence[str]:
    """The branches that hold what is asked for, without those that are to be gone."""
    branches = dict.fromkeys(task.on for task in scenario.task if not task.delete or task.on != task.delete)
    gone = {task.delete for task in scenario.task}
    return [branch for branch in branches if branch not in gone] or list(branches)


def push_command(scenario: Scenario) -> str:
    """Push what is asked for: by force, with lease, where a task replaces what was there."""
    kept = branches_to_push(scenario)
    rewritten = {task.on for task in scenario.task if task.rewrites_branch}
    return command("git", "push", *((FORCE,) if rewritten & set(kept) else ()), "origin", *kept)


def push_over_command(scenario: Scenario) -> str:
    """Push over what was pushed before, as after an amended commit; it takes care of what others pushed."""
    return command("git", "push", FORCE, "origin", *branches_to_push(scenario))


def delete_command(scenario: Scenario, history: History) -> str:
    """Delete what is to be gone at the remote as well; empty where nothing is."""
    there = history.remote or history.tips
    gone = [task.delete for task in scenario.task if task.delete and task.delete in there]
    return command("git", "push", "origin", "--delete", *gone) if gone else ""
