"""Write a story's commits with libgit2, into whatever repository is given.

A new repository's layout is that of gitrepository-layout(5), written here so that no template, no hook and
no setting of the machine gets into it.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from pathlib import Path

import pygit2

from muddled_orchard.core.history import History, PlannedCommit
from muddled_orchard.core.story_files import File
from muddled_orchard.vcs.isolation import isolate

CONFIG = """\
[core]
\trepositoryformatversion = 0
\tfilemode = true
\tbare = {bare}
"""

_FOLDER = 0o040000


def new_repository(gitdir: Path, *, bare: bool, head: str = "main") -> pygit2.Repository:
    """An empty repository in a new folder."""
    isolate()
    for folder in ("objects/info", "objects/pack", "refs/heads", "refs/tags", "info"):
        (gitdir / folder).mkdir(parents=True)
    (gitdir / "HEAD").write_text(f"ref: refs/heads/{head}\n", encoding="ascii", newline="\n")
    (gitdir / "config").write_text(CONFIG.format(bare=str(bare).lower()), encoding="ascii", newline="\n")
    return pygit2.Repository(str(gitdir))


def write_history(
    repo: pygit2.Repository, history: History, only: Collection[int] | None = None
) -> dict[int, str]:
    """Write the commits of the story (all, or those at these places) and return the id of each place.

    Refs are left alone.
    """
    ids: dict[int, str] = {}
    for number, commit in enumerate(history.commits):
        if only is not None and number not in only:
            continue
        tree = write_tree(repo, {path: (file.mode, _blob(repo, file)) for path, file in commit.tree.items()})
        parents = [ids[parent] for parent in commit.parents]
        ids[number] = (
            _stash(repo, history, commit, tree, parents[0])
            if commit.stash
            else _commit(repo, commit, commit.message, tree, parents)
        )
    return ids


def write_tree(repo: pygit2.Repository, listing: Mapping[str, tuple[int, str]]) -> str:
    """Write a tree from a flat listing of path -> (mode, blob id), folders as deep as they go."""
    builder = repo.TreeBuilder()
    folders: dict[str, dict[str, tuple[int, str]]] = {}
    for path, (mode, id_) in listing.items():
        name, _, rest = path.partition("/")
        if rest:
            folders.setdefault(name, {})[rest] = (mode, id_)
        else:
            builder.insert(name, id_, mode)
    for name, below in folders.items():
        builder.insert(name, write_tree(repo, below), _FOLDER)
    return str(builder.write())


def _stash(repo: pygit2.Repository, history: History, commit: PlannedCommit, tree: str, parent: str) -> str:
    """A stash as git-stash(1) describes it: a commit of the work, whose second parent holds the index."""
    base = history.commits[commit.parents[0]]
    subject = base.message.split("\n", 1)[0]
    index = f"index on {commit.branch}: {parent[:7]} {subject}\n"
    files = {path: (file.mode, _blob(repo, file)) for path, file in base.tree.items()}
    staged = _commit(repo, commit, index, write_tree(repo, files), [parent])
    return _commit(repo, commit, stash_message(commit) + "\n", tree, [parent, staged])


def stash_message(commit: PlannedCommit) -> str:
    """What `git stash list` shows of it."""
    return f"On {commit.branch}: {commit.message.splitlines()[0]}"


def _blob(repo: pygit2.Repository, file: File) -> str:
    return str(repo.create_blob(file.data))


def _commit(
    repo: pygit2.Repository, commit: PlannedCommit, message: str, tree: str, parents: list[str]
) -> str:
    author = pygit2.Signature(commit.author.name, commit.author.email, commit.time, commit.offset, "utf-8")
    return str(repo.create_commit(None, author, author, message, tree, parents))
