"""Begin and continue operations with real Git, as the brief asks for them: in repositories of ours only."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations import operation_of
from muddled_orchard.core.exercise.scenario import Task
from muddled_orchard.vcs.ask import git

Typed = Callable[..., object]
"""Types a `git` command in the repository: `typed("merge", "night-shift")`. It may end in a conflict."""


def begin(typed: Typed, task: Task, ids: dict[str, str], *, detached: bool = False) -> None:
    """Check the branch out (or its commit alone, `detached`) and start the operation; it stops at the
    first conflict. `ids` are the ids of labelled commits."""
    typed("checkout", "-q", *(["--detach"] if detached else []), task.on)
    operation = operation_of(task)
    if operation.fetches_first(task):
        typed("fetch", "-q")
    typed(*operation.begin(task, ids, quiet=True))


def go_on(typed: Typed, task: Task) -> None:
    """Stage everything and complete the step at hand; a replay goes on to its next conflict."""
    typed("add", "--all")
    if command := operation_of(task).go_on(quiet=True):
        typed(*command)


def stop_at_conflict(work: Path, history: History, ids: dict[int, str], task: Task) -> None:
    """Bring a freshly planted repository to the first conflict of a task, as one of the cast would have."""
    last = max(history.commits, key=lambda commit: commit.time)
    who = history.commits[history.tips[task.on]].author
    when = f"{last.time + 600} +0000"
    more = {
        f"GIT_{role}_{what}": value
        for role in ("AUTHOR", "COMMITTER")
        for what, value in (("NAME", who.name), ("EMAIL", who.email), ("DATE", when))
    }
    if operation_of(task).keeps_commits:
        # A replay keeps each commit's own author; only the committer is who stopped here.
        more = {name: value for name, value in more.items() if "COMMITTER" in name}
    labelled = {commit.label: ids[n] for n, commit in enumerate(history.commits) if commit.label and n in ids}

    def typed(*arguments: str) -> None:
        git.run(arguments, folder=work, more=more, may_fail=True)

    begin(typed, task, labelled)
