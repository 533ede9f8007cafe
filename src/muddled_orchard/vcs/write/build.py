"""Make a story's commits, and new repositories.

A new repository's layout is that of gitrepository-layout(5), written here so that no template, no hook and
no setting of the machine gets into it.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from pathlib import Path

from muddled_orchard.core.exercise.history import History, PlannedCommit
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.vcs.write.memory import Objects

CONFIG = """\
[core]
\trepositoryformatversion = 0
\tfilemode = true
\tbare = {bare}
"""


def new_repository(gitdir: Path, *, bare: bool, head: str = "main") -> None:
    """An empty repository in a new folder."""
    for folder in ("objects/info", "objects/pack", "refs/heads", "refs/tags", "info"):
        (gitdir / folder).mkdir(parents=True)
    (gitdir / "HEAD").write_text(f"ref: {branch_ref(head)}\n", encoding="utf-8", newline="\n")
    (gitdir / "config").write_text(CONFIG.format(bare=str(bare).lower()), encoding="utf-8", newline="\n")


def write_history(objects: Objects, history: History, only: Collection[int] | None = None) -> dict[int, str]:
    """Make the commits of the story (all, or those at these places) and return the id of each place."""
    ids: dict[int, str] = {}
    for number, commit in enumerate(history.commits):
        if only is not None and number not in only:
            continue
        tree = objects.tree(_listing(objects, commit))
        ids[number] = write_planned(objects, history, number, tree, ids)
    return ids


def write_planned(objects: Objects, history: History, number: int, tree: str, ids: Mapping[int, str]) -> str:
    """Make the commit at a place of the story, whose tree is made; `ids` are those of the places before."""
    commit = history.commits[number]
    parents = [ids[parent] for parent in commit.parents]
    if commit.stash:
        return _stash(objects, history, commit, tree, parents[0])
    return objects.commit(_who(commit), commit.message, tree, parents)


def _listing(objects: Objects, commit: PlannedCommit) -> dict[str, tuple[int, str]]:
    return {path: (file.mode, objects.blob(file.data)) for path, file in commit.tree.items()}


def _who(commit: PlannedCommit) -> str:
    return f"{commit.author} {commit.time} {zone(commit.offset)}"


def zone(offset: int) -> str:
    """An offset in minutes east of UTC as Git writes it."""
    return f"{'-' if offset < 0 else '+'}{abs(offset) // 60:02}{abs(offset) % 60:02}"


def _stash(objects: Objects, history: History, commit: PlannedCommit, tree: str, parent: str) -> str:
    """A stash as `git stash push -m` makes it: a commit of the work, whose second parent holds the index, in
    which the files are that are new."""
    base = history.commits[commit.parents[0]]
    subject = base.message.split("\n", 1)[0]
    index = f"index on {commit.branch}: {short(parent)} {subject}\n"
    listing = {path: entry for path, entry in _listing(objects, commit).items() if path not in base.tree}
    staged = objects.commit(
        _who(commit), index, objects.tree({**_listing(objects, base), **listing}), [parent]
    )
    return objects.commit(_who(commit), stash_message(commit), tree, [parent, staged])


def stash_message(commit: PlannedCommit) -> str:
    """What `git stash list` shows of it."""
    return f"On {commit.branch}: {commit.message.splitlines()[0]}"
